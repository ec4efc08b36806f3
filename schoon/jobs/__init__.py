"""Long work: pure tasks, and the runner that takes jobs from the table to an executor."""

from .runner import Runner

__all__ = ["Runner"]
