"""Routers: one module per page or stage."""
