"""SQLite by plain SQL: connections and migrations in `database`, one module for each thing that is kept."""

from oakbeam.store.database import Conflict, NotFound, Store

__all__ = ["Conflict", "NotFound", "Store"]
