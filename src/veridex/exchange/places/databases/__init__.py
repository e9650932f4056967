"""Databases as places: SQLite and PostgreSQL, through SQLAlchemy."""
