"""The pages: FastAPI routers, one per stage or page, over store, jobs and core."""
