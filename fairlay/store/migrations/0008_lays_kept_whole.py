"""A lay is tied to the versions of the hides it was laid on; its history keeps snapshots, names and pins;
what a search finds waits beside it. Every step may be run again.
"""

import json
from typing import Any

from peewee import Database

atomic = False

OPTIONS = "ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci"
TABLES = (
    """lay_job (
        id INT AUTO_INCREMENT PRIMARY KEY, lay_id INT NOT NULL, number INT NOT NULL,
        document JSON NOT NULL, created_at DATETIME(3) NOT NULL,
        UNIQUE KEY lay_job_number (lay_id, number),
        FOREIGN KEY (lay_id) REFERENCES lay (id) ON DELETE CASCADE)""",
    """lay_hide (
        id INT AUTO_INCREMENT PRIMARY KEY, lay_job_id INT NOT NULL, hide_id INT NOT NULL,
        version INT NOT NULL,
        UNIQUE KEY lay_hide_once (lay_job_id, hide_id),
        FOREIGN KEY (lay_job_id) REFERENCES lay_job (id) ON DELETE CASCADE,
        FOREIGN KEY (hide_id) REFERENCES hide (id))""",
    """lay_snapshot (
        id INT AUTO_INCREMENT PRIMARY KEY, lay_id INT NOT NULL, number INT NOT NULL, lies JSON NOT NULL,
        UNIQUE KEY lay_snapshot_number (lay_id, number),
        FOREIGN KEY (lay_id) REFERENCES lay (id) ON DELETE CASCADE)""",
    """lay_mark (
        id INT AUTO_INCREMENT PRIMARY KEY, lay_id INT NOT NULL, number INT NOT NULL,
        name VARCHAR(128) NOT NULL, created_at DATETIME(3) NOT NULL,
        UNIQUE KEY lay_mark_number (lay_id, number),
        FOREIGN KEY (lay_id) REFERENCES lay (id) ON DELETE CASCADE)""",
    """lay_pin (
        id INT AUTO_INCREMENT PRIMARY KEY, lay_id INT NOT NULL, piece VARCHAR(255) NOT NULL,
        copy_number INT NOT NULL,
        UNIQUE KEY lay_pin_once (lay_id, piece, copy_number),
        FOREIGN KEY (lay_id) REFERENCES lay (id) ON DELETE CASCADE)""",
    """lay_candidate (
        id INT AUTO_INCREMENT PRIMARY KEY, lay_id INT NOT NULL, job_id INT NOT NULL, helper INT NOT NULL,
        version INT NOT NULL, job_number INT NOT NULL,
        base INT NOT NULL, lies JSON NOT NULL, unplaced JSON NOT NULL, measures JSON NOT NULL,
        worth DOUBLE NOT NULL, found_at DATETIME(3) NOT NULL,
        UNIQUE KEY lay_candidate_once (job_id, helper), KEY lay_candidate_lay (lay_id),
        FOREIGN KEY (lay_id) REFERENCES lay (id) ON DELETE CASCADE,
        FOREIGN KEY (job_id) REFERENCES work_job (id) ON DELETE CASCADE)""",
)


def up(migrator: object, db: Database) -> None:
    def run(sql: str, values: tuple[Any, ...] = ()) -> Any:
        return db.execute_sql(sql, values)  # type: ignore[no-untyped-call]  # peewee types only part of itself

    for table in TABLES:
        run(f"CREATE TABLE IF NOT EXISTS {table} {OPTIONS}")
    run("ALTER TABLE lay ADD COLUMN IF NOT EXISTS given_up BOOL NOT NULL DEFAULT FALSE")
    run("ALTER TABLE lay_revision ADD COLUMN IF NOT EXISTS job_number INT NOT NULL DEFAULT 1")
    run("ALTER TABLE lay_revision ADD COLUMN IF NOT EXISTS placed INT NOT NULL DEFAULT 0")
    run("ALTER TABLE lay_revision ADD COLUMN IF NOT EXISTS yield_of_used DOUBLE NOT NULL DEFAULT 0")
    if _has(run, "lay", "job"):
        for lay_id, job, created_at in run(
            "SELECT id, job, created_at FROM lay WHERE id NOT IN (SELECT lay_id FROM lay_job)"
        ).fetchall():
            _tie(run, lay_id, json.loads(job), created_at)
        run("ALTER TABLE lay DROP COLUMN job")
    if _has(run, "lay_revision", "mark"):
        run(
            "INSERT IGNORE INTO lay_mark (lay_id, number, name, created_at) SELECT lay_id, number, mark, "
            "created_at FROM lay_revision WHERE mark <> ''"
        )
        run(
            "UPDATE lay_revision SET placed = COALESCE(JSON_VALUE(measures, '$.placed'), 0), yield_of_used = "
            "COALESCE(JSON_VALUE(measures, '$.yield_of_used'), 0)"
        )
        run("ALTER TABLE lay_revision DROP COLUMN mark")


def _has(run: Any, table: str, column: str) -> bool:
    found = run(
        "SELECT COUNT(*) FROM information_schema.columns WHERE table_schema = DATABASE() AND table_name = %s "
        "AND column_name = %s",
        (table, column),
    )
    return bool(found.fetchone()[0])


def _tie(run: Any, lay_id: int, job: dict[str, Any], created_at: Any) -> None:
    """A lay of before: tied to its hides as they are now where they are the same, else to a version
    before.
    """
    run("DELETE FROM lay_job WHERE lay_id = %s", (lay_id,))
    made = run(
        "INSERT INTO lay_job (lay_id, number, document, created_at) VALUES (%s, 1, %s, %s) RETURNING id",
        (lay_id, json.dumps(job), created_at),
    ).fetchone()[0]
    for hide in job["hides"]:
        found = run("SELECT id, version, shape FROM hide WHERE number = %s", (hide["id"],)).fetchone()
        if found is None:
            continue
        hide_id, version, shape = found
        now = json.loads(shape)
        same = hide["kind"] == "roll" or all(hide.get(k) == now.get(k) for k in ("outline", "zones", "flaws"))
        run(
            "INSERT INTO lay_hide (lay_job_id, hide_id, version) VALUES (%s, %s, %s)",
            (made, hide_id, version if same else version - 1),
        )
