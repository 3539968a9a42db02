"""A cut tells which offcut it put on the rack, and what state the hide was in; what the rack shows of a hide
is kept beside it. Every step may be run again.
"""

from typing import Any

from peewee import Database

atomic = False


def up(migrator: object, db: Database) -> None:
    def run(sql: str) -> Any:
        return db.execute_sql(sql)  # type: ignore[no-untyped-call]  # peewee types only part of itself

    run("ALTER TABLE hide_event ADD COLUMN IF NOT EXISTS made_id INT NULL")
    run(
        "ALTER TABLE hide_event ADD CONSTRAINT FOREIGN KEY IF NOT EXISTS hide_event_made (made_id) "
        "REFERENCES hide (id) ON DELETE SET NULL"
    )
    run("ALTER TABLE hide_event ADD COLUMN IF NOT EXISTS state VARCHAR(16) NULL")
    run("ALTER TABLE hide ADD COLUMN IF NOT EXISTS card JSON NULL")
