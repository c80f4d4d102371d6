"""Tools for the people who build Oakbeam; nothing here is part of the application."""
