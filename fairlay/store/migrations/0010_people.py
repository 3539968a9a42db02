"""People, their sessions, benches and deeds; and whose doing a row is. Every step may be run again."""

from typing import Any

from peewee import Database

atomic = False

OPTIONS = "ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci"
DONE_BY = (
    "hide_event",
    "delivery",
    "article_revision",
    "upload",
    "batch",
    "lay",
    "lay_revision",
    "lay_mark",
    "lay_pin",
    "work_job",
)


def up(migrator: object, db: Database) -> None:
    def run(sql: str) -> Any:
        return db.execute_sql(sql)  # type: ignore[no-untyped-call]  # peewee types only part of itself

    run(
        f"""CREATE TABLE IF NOT EXISTS person (
        id INT AUTO_INCREMENT PRIMARY KEY, name VARCHAR(64) NOT NULL UNIQUE, role VARCHAR(16) NOT NULL,
        password VARCHAR(255) NOT NULL DEFAULT '', pin VARCHAR(255) NOT NULL DEFAULT '',
        active BOOL NOT NULL DEFAULT 1, created_at DATETIME(3) NOT NULL) {OPTIONS}"""
    )
    run(
        f"""CREATE TABLE IF NOT EXISTS bench (
        id INT AUTO_INCREMENT PRIMARY KEY, name VARCHAR(64) NOT NULL UNIQUE, token CHAR(64) NOT NULL UNIQUE,
        by_id INT NULL, created_at DATETIME(3) NOT NULL,
        FOREIGN KEY (by_id) REFERENCES person (id) ON DELETE SET NULL) {OPTIONS}"""
    )
    run(
        f"""CREATE TABLE IF NOT EXISTS session (
        token CHAR(64) PRIMARY KEY, person_id INT NOT NULL, bench_id INT NULL,
        created_at DATETIME(3) NOT NULL, seen_at DATETIME(3) NOT NULL, ends_at DATETIME(3) NOT NULL,
        room VARCHAR(128) NOT NULL DEFAULT '', room_at DATETIME(3) NULL,
        FOREIGN KEY (person_id) REFERENCES person (id) ON DELETE CASCADE,
        FOREIGN KEY (bench_id) REFERENCES bench (id) ON DELETE CASCADE) {OPTIONS}"""
    )
    run(
        f"""CREATE TABLE IF NOT EXISTS sign_in_try (
        name VARCHAR(160) PRIMARY KEY, failures INT NOT NULL, last_at DATETIME(3) NOT NULL) {OPTIONS}"""
    )
    run(
        f"""CREATE TABLE IF NOT EXISTS one_time_code (
        token CHAR(64) PRIMARY KEY, person_id INT NULL, ends_at DATETIME(3) NOT NULL,
        FOREIGN KEY (person_id) REFERENCES person (id) ON DELETE CASCADE) {OPTIONS}"""
    )
    run(
        f"""CREATE TABLE IF NOT EXISTS deed (
        id INT AUTO_INCREMENT PRIMARY KEY, person_id INT NULL, act VARCHAR(64) NOT NULL,
        subject VARCHAR(32) NOT NULL, subject_id INT NULL, at DATETIME(3) NOT NULL,
        KEY deed_subject (subject, subject_id), KEY deed_at (at),
        FOREIGN KEY (person_id) REFERENCES person (id) ON DELETE SET NULL) {OPTIONS}"""
    )
    for table in DONE_BY:
        run(f"ALTER TABLE {table} ADD COLUMN IF NOT EXISTS by_id INT NULL")
        run(
            f"ALTER TABLE {table} ADD CONSTRAINT FOREIGN KEY IF NOT EXISTS {table}_by (by_id) "
            "REFERENCES person (id) ON DELETE SET NULL"
        )
