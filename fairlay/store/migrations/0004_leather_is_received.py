"""Deliveries, what looking a hide over told, its history, and the shop's own settings.

Every step may be run again.
"""

from typing import Any

from peewee import Database

atomic = False

OPTIONS = "ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci"
TABLES = (
    """delivery (
        id INT AUTO_INCREMENT PRIMARY KEY, mill VARCHAR(64) NOT NULL, lot VARCHAR(64) NOT NULL,
        invoice JSON NOT NULL, note LONGTEXT NOT NULL,
        received_on DATE NOT NULL, closed BOOL NOT NULL, created_at DATETIME(3) NOT NULL,
        UNIQUE KEY delivery_lot (mill, lot))""",
    """hide_event (
        id INT AUTO_INCREMENT PRIMARY KEY, hide_id INT NOT NULL, kind VARCHAR(32) NOT NULL,
        words VARCHAR(255) NOT NULL, `before` JSON NULL, created_at DATETIME(3) NOT NULL,
        KEY hide_event_hide (hide_id), FOREIGN KEY (hide_id) REFERENCES hide (id) ON DELETE CASCADE)""",
    """setting (name VARCHAR(64) NOT NULL PRIMARY KEY, value JSON NOT NULL)""",
)
COLUMNS = (
    "delivery_id INT NULL",
    "invoice_m2 DOUBLE NULL",
    "finish VARCHAR(64) NOT NULL DEFAULT ''",
    "looking JSON NULL",
    "seen JSON NULL",
    "version INT NOT NULL DEFAULT 0",
    "looked VARCHAR(128) NOT NULL DEFAULT 'not looked over'",
    "looked_enough BOOL NOT NULL DEFAULT FALSE",
    "measured BOOL NOT NULL DEFAULT TRUE",
)


def up(migrator: object, db: Database) -> None:
    def run(sql: str) -> Any:
        return db.execute_sql(sql)  # type: ignore[no-untyped-call]  # peewee types only part of itself

    for table in TABLES:
        run(f"CREATE TABLE IF NOT EXISTS {table} {OPTIONS}")
    for column in COLUMNS:
        run(f"ALTER TABLE hide ADD COLUMN IF NOT EXISTS {column}")
    run(
        "ALTER TABLE hide ADD CONSTRAINT FOREIGN KEY IF NOT EXISTS hide_delivery (delivery_id) REFERENCES "
        "delivery (id)"
    )
    run(
        "UPDATE hide SET looked = 'looked over', looked_enough = TRUE WHERE looking IS NULL AND (state <> "
        "'received' OR kind = 'roll')"
    )
