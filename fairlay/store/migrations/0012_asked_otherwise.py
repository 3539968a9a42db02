"""Lays asked otherwise, and lays for several batches. Every step may be run again."""

from typing import Any

from peewee import Database

atomic = False

OPTIONS = "ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci"


def up(migrator: object, db: Database) -> None:
    def run(sql: str) -> Any:
        return db.execute_sql(sql)  # type: ignore[no-untyped-call]  # peewee types only part of itself

    run("ALTER TABLE lay_job ADD COLUMN IF NOT EXISTS changes JSON NULL")
    run(
        f"""CREATE TABLE IF NOT EXISTS lay_batch (
        id INT AUTO_INCREMENT PRIMARY KEY, lay_id INT NOT NULL, batch_id INT NOT NULL,
        UNIQUE KEY lay_batch_pair (lay_id, batch_id),
        FOREIGN KEY (lay_id) REFERENCES lay (id) ON DELETE CASCADE,
        FOREIGN KEY (batch_id) REFERENCES batch (id) ON DELETE CASCADE) {OPTIONS}"""
    )
