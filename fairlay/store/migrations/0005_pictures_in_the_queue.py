"""Pictures of hides are read by the queue: a job is at a lay or at a hide, and says what it found so far;
large files are kept in parts. Every step may be run again.
"""

from typing import Any

from peewee import Database

atomic = False


def up(migrator: object, db: Database) -> None:
    def run(sql: str) -> Any:
        return db.execute_sql(sql)  # type: ignore[no-untyped-call]  # peewee types only part of itself

    run(
        """CREATE TABLE IF NOT EXISTS upload_part (
        id INT AUTO_INCREMENT PRIMARY KEY, upload_id INT NOT NULL, number INT NOT NULL,
        body LONGBLOB NOT NULL, UNIQUE KEY upload_part_number (upload_id, number),
        FOREIGN KEY (upload_id) REFERENCES upload (id) ON DELETE CASCADE) ENGINE=InnoDB"""
    )
    run("ALTER TABLE work_job MODIFY COLUMN lay_id INT NULL")
    run("ALTER TABLE work_job ADD COLUMN IF NOT EXISTS hide_id INT NULL")
    run("ALTER TABLE work_job ADD COLUMN IF NOT EXISTS said JSON NULL")
    run(
        "ALTER TABLE work_job ADD CONSTRAINT FOREIGN KEY IF NOT EXISTS work_job_hide (hide_id) REFERENCES "
        "hide (id) ON DELETE CASCADE"
    )
