"""Pieces that lie where a cutter insists; batches that are changed, held and given up. Every step may be run
again.
"""

from typing import Any

from peewee import Database

atomic = False

OPTIONS = "ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci"


def up(migrator: object, db: Database) -> None:
    def run(sql: str) -> Any:
        return db.execute_sql(sql)  # type: ignore[no-untyped-call]  # peewee types only part of itself

    run(
        f"""CREATE TABLE IF NOT EXISTS lay_insisted (
        id INT AUTO_INCREMENT PRIMARY KEY, lay_id INT NOT NULL, piece VARCHAR(255) NOT NULL,
        copy_number INT NOT NULL, by_id INT NULL, signed_by_id INT NULL, signed_at DATETIME(3) NULL,
        UNIQUE KEY lay_insisted_copy (lay_id, piece, copy_number),
        FOREIGN KEY (lay_id) REFERENCES lay (id) ON DELETE CASCADE,
        FOREIGN KEY (by_id) REFERENCES person (id) ON DELETE SET NULL,
        FOREIGN KEY (signed_by_id) REFERENCES person (id) ON DELETE SET NULL) {OPTIONS}"""
    )
    run("ALTER TABLE batch ADD COLUMN IF NOT EXISTS standing VARCHAR(16) NOT NULL DEFAULT 'open'")
    run("ALTER TABLE batch ADD COLUMN IF NOT EXISTS version INT NOT NULL DEFAULT 1")
    run("ALTER TABLE batch_line ADD COLUMN IF NOT EXISTS colour VARCHAR(32) NOT NULL DEFAULT ''")
    run("ALTER TABLE batch_line ADD COLUMN IF NOT EXISTS due_on DATE NULL")
    run("ALTER TABLE batch_line ADD COLUMN IF NOT EXISTS priority INT NOT NULL DEFAULT 0")
    run("ALTER TABLE batch_line ADD COLUMN IF NOT EXISTS filler BOOL NOT NULL DEFAULT 0")
