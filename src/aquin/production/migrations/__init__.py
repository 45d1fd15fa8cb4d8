"""How the tables came about, step by step (Alembic). `SCHEMA` is the number of the newest step."""

from pathlib import Path

import sqlalchemy as sql

SCHEMA = 5
FOLDER = Path(__file__).parent


def migrate(connection: sql.Connection) -> None:
    """Bring the tables of an open transaction to the newest step."""
    from alembic import command
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(FOLDER))
    config.set_main_option("path_separator", "os")
    config.attributes["connection"] = connection
    command.upgrade(config, "head")
    if connection.dialect.name == "sqlite":
        connection.exec_driver_sql(f"PRAGMA user_version = {SCHEMA}")
