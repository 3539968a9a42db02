"""Hides that are cut, piece by piece. Every step may be run again."""

from typing import Any

from peewee import Database

atomic = False

OPTIONS = "ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci"


def up(migrator: object, db: Database) -> None:
    def run(sql: str) -> Any:
        return db.execute_sql(sql)  # type: ignore[no-untyped-call]  # peewee types only part of itself

    run(
        f"""CREATE TABLE IF NOT EXISTS cut_sheet (
        id INT AUTO_INCREMENT PRIMARY KEY, lay_id INT NOT NULL, hide_id INT NOT NULL,
        state VARCHAR(16) NOT NULL DEFAULT 'open', bench JSON NOT NULL, planned_minutes DOUBLE NOT NULL
        DEFAULT 0, account JSON NULL, begun_at DATETIME(3) NOT NULL, closed_at DATETIME(3) NULL, by_id INT
        NULL, UNIQUE KEY cut_sheet_hide (lay_id, hide_id), KEY cut_sheet_state (state), FOREIGN KEY (lay_id)
        REFERENCES lay (id) ON DELETE CASCADE, FOREIGN KEY (hide_id) REFERENCES hide (id), FOREIGN KEY (by_id)
        REFERENCES person (id) ON DELETE SET NULL) {OPTIONS}
        """
    )
    run(
        f"""CREATE TABLE IF NOT EXISTS cut_tick (
        id INT AUTO_INCREMENT PRIMARY KEY, sheet_id INT NOT NULL, tick VARCHAR(36) NOT NULL,
        piece VARCHAR(255) NOT NULL, copy_number INT NOT NULL, act VARCHAR(16) NOT NULL,
        reason VARCHAR(128) NOT NULL DEFAULT '', tablet VARCHAR(36) NOT NULL DEFAULT '', number INT NOT NULL
        DEFAULT 0, revision INT NOT NULL DEFAULT 0, lies JSON NULL, planned_s DOUBLE NOT NULL DEFAULT 0,
        pressed_at DATETIME(3) NOT NULL, came_at
        DATETIME(3) NOT NULL, by_id INT NULL, UNIQUE KEY cut_tick_name (tick), KEY cut_tick_piece (sheet_id,
        piece, copy_number), FOREIGN KEY (sheet_id) REFERENCES cut_sheet (id) ON DELETE CASCADE, FOREIGN KEY
        (by_id) REFERENCES person (id) ON DELETE SET NULL) {OPTIONS}
        """
    )
