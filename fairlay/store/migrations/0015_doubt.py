"""How far off measured areas may be, and checks of the camera against a page of known size."""

from typing import Any

from peewee import Database

atomic = False

OPTIONS = "ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci"


def up(migrator: object, db: Database) -> None:
    def run(sql: str) -> Any:
        return db.execute_sql(sql)  # type: ignore[no-untyped-call]  # peewee types only part of itself

    run("ALTER TABLE hide ADD COLUMN IF NOT EXISTS received_off_m2 DOUBLE NULL")
    run(
        f"""CREATE TABLE IF NOT EXISTS camera_check (
        id INT AUTO_INCREMENT PRIMARY KEY, camera VARCHAR(64) NOT NULL, checked_at DATETIME(3) NOT NULL,
        wide_mm DOUBLE NOT NULL, high_mm DOUBLE NOT NULL, off_share DOUBLE NOT NULL, off_mm DOUBLE NOT NULL,
        by_id INT NULL, KEY camera_check_at (checked_at), FOREIGN KEY (by_id) REFERENCES person (id) ON DELETE
        SET NULL)
        {OPTIONS}"""
    )
