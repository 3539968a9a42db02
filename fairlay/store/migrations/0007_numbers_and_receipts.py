"""What was received stays: area and money of a hide as it came, and what an offcut takes along, in columns of
their own; numbers that were ever given out are kept. Every step may be run again.
"""

from typing import Any

from peewee import Database

atomic = False

OPTIONS = "ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci"


def up(migrator: object, db: Database) -> None:
    def run(sql: str) -> Any:
        return db.execute_sql(sql)  # type: ignore[no-untyped-call]  # peewee types only part of itself

    run(f"CREATE TABLE IF NOT EXISTS lock_row (name VARCHAR(32) PRIMARY KEY) {OPTIONS}")
    run(f"CREATE TABLE IF NOT EXISTS given_number (number VARCHAR(32) PRIMARY KEY) {OPTIONS}")
    run("INSERT IGNORE INTO given_number (number) SELECT number FROM hide")
    run("ALTER TABLE hide ADD COLUMN IF NOT EXISTS received_m2 DOUBLE NULL")
    run("ALTER TABLE hide ADD COLUMN IF NOT EXISTS received_cost DOUBLE NULL")
    run("ALTER TABLE hide ADD COLUMN IF NOT EXISTS cost DOUBLE NULL")
    run("ALTER TABLE hide ADD COLUMN IF NOT EXISTS parent_id INT NULL")
    run("ALTER TABLE hide ADD COLUMN IF NOT EXISTS whole BOOL NOT NULL DEFAULT TRUE")
    run(
        "ALTER TABLE hide ADD CONSTRAINT FOREIGN KEY IF NOT EXISTS hide_parent (parent_id) REFERENCES hide "
        "(id) ON DELETE SET NULL"
    )
    run("ALTER TABLE hide_event ADD COLUMN IF NOT EXISTS facts JSON NULL")
    run(
        """CREATE TABLE IF NOT EXISTS hide_event_made (
        id INT AUTO_INCREMENT PRIMARY KEY, event_id INT NOT NULL, hide_id INT NOT NULL,
        UNIQUE KEY hide_event_made_once (event_id, hide_id),
        FOREIGN KEY (event_id) REFERENCES hide_event (id) ON DELETE CASCADE,
        FOREIGN KEY (hide_id) REFERENCES hide (id) ON DELETE CASCADE) """
        + OPTIONS
    )
    if run(
        "SELECT COUNT(*) FROM information_schema.columns WHERE table_schema = DATABASE() AND table_name = "
        "'hide_event' AND column_name = 'made_id'"
    ).fetchone()[0]:
        # An offcut is told by the event of the cut that made it.
        run(
            "INSERT IGNORE INTO hide_event_made (event_id, hide_id) SELECT id, made_id FROM hide_event WHERE "
            "made_id IS NOT NULL"
        )
        run("ALTER TABLE hide_event DROP FOREIGN KEY IF EXISTS hide_event_made, DROP COLUMN made_id")
    run(
        "UPDATE hide h JOIN hide_event_made m ON m.hide_id = h.id JOIN hide_event e ON e.id = m.event_id SET "
        "h.parent_id = e.hide_id WHERE h.parent_id IS NULL"
    )
    run(
        "UPDATE hide h SET whole = FALSE WHERE EXISTS (SELECT 1 FROM hide_event e WHERE e.hide_id = h.id AND "
        "e.kind = 'cut')"
    )
    # Measured and never cut: what it measures now is what came. Of one that was cut nobody knows any more.
    run(
        "UPDATE hide SET received_m2 = area_m2 WHERE received_m2 IS NULL AND measured AND whole AND "
        "parent_id IS NULL AND kind <> 'roll'"
    )
    run(
        "UPDATE hide SET received_cost = IF(parent_id IS NULL, COALESCE(invoice_m2, received_m2, area_m2) * "
        "cost_per_m2, 0) WHERE received_cost IS NULL"
    )
    run(
        "UPDATE hide SET cost = IF(parent_id IS NULL, received_cost, area_m2 * cost_per_m2) "
        "WHERE cost IS NULL"
    )
