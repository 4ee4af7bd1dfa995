"""What lasts: PostgreSQL through SQLAlchemy. The only place that knows SQL."""
