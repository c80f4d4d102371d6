"""SQLite by plain SQL: connections and migrations in `database`, one module for each thing that is kept."""

from oakbeam.store.database import Busy, Conflict, NoDatabase, NotFound, Store
from oakbeam.store.ownership import FileMoved

__all__ = ["Busy", "Conflict", "FileMoved", "NoDatabase", "NotFound", "Store"]
