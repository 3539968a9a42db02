"""A job is owned by the worker that has it; when it was handed out is known; workers say that they are there,
and a search's helpers are asked for in the store. Every step may be run again.
"""

from typing import Any

from peewee import Database

atomic = False

OPTIONS = "ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci"


def up(migrator: object, db: Database) -> None:
    def run(sql: str) -> Any:
        return db.execute_sql(sql)  # type: ignore[no-untyped-call]  # peewee types only part of itself

    run("ALTER TABLE work_job ADD COLUMN IF NOT EXISTS owner CHAR(32) NOT NULL DEFAULT ''")
    run("ALTER TABLE work_job ADD COLUMN IF NOT EXISTS handed_at DATETIME(3) NULL")
    run("ALTER TABLE work_job ADD COLUMN IF NOT EXISTS upload_id INT NULL")
    run("ALTER TABLE work_job ADD COLUMN IF NOT EXISTS result LONGBLOB NULL")
    run("ALTER TABLE work_job ADD COLUMN IF NOT EXISTS share DOUBLE NOT NULL DEFAULT 0")
    run(
        "ALTER TABLE work_job ADD CONSTRAINT FOREIGN KEY IF NOT EXISTS work_job_upload (upload_id) "
        "REFERENCES upload (id) ON DELETE CASCADE"
    )
    run(
        f"""CREATE TABLE IF NOT EXISTS work_help (
        id INT AUTO_INCREMENT PRIMARY KEY, job_id INT NOT NULL, number INT NOT NULL,
        owner CHAR(32) NOT NULL, asked_at DATETIME(3) NOT NULL,
        beat_at DATETIME(3) NULL, UNIQUE KEY work_help_once (job_id, number),
        FOREIGN KEY (job_id) REFERENCES work_job (id) ON DELETE CASCADE) {OPTIONS}"""
    )
    run(
        f"""CREATE TABLE IF NOT EXISTS worker (
        token CHAR(32) PRIMARY KEY, kind VARCHAR(16) NOT NULL, place VARCHAR(128) NOT NULL,
        beat_at DATETIME(3) NOT NULL) {OPTIONS}"""
    )
