"""The Book: facts of closed hides ready to be summed, what was decided of them, what was learned and taken,
notes, forecasts and practice. Every step may be run again.
"""

from typing import Any

from peewee import Database

atomic = False

OPTIONS = "ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci"
BY = "by_id INT NULL, FOREIGN KEY (by_id) REFERENCES person (id) ON DELETE SET NULL"
TABLES = (
    """book_hide (
        sheet_id INT NOT NULL PRIMARY KEY, batch_id INT NOT NULL, hide_id INT NOT NULL, number VARCHAR(32)
        NOT NULL, kind VARCHAR(16) NOT NULL, material VARCHAR(64) NOT NULL, mill VARCHAR(64) NOT NULL,
        lot VARCHAR(64) NOT NULL, grade VARCHAR(16) NOT NULL, month CHAR(7) NOT NULL, closed_on DATE NOT NULL,
        currency VARCHAR(16) NOT NULL, good_m2 DOUBLE NOT NULL, spoilt_m2 DOUBLE NOT NULL, kept_m2 DOUBLE NOT
        NULL, edge_m2 DOUBLE NOT NULL, flaw_m2 DOUBLE NOT NULL, loose_m2 DOUBLE NOT NULL, reserved_m2 DOUBLE
        NOT NULL, knife_m2 DOUBLE NOT NULL, between_m2 DOUBLE NOT NULL, untold_m2 DOUBLE NOT NULL, cents
        BIGINT NOT NULL, planned_min DOUBLE NOT NULL, true_min DOUBLE NOT NULL, planned_yield DOUBLE NULL,
        planned_pieces INT NULL, done INT NOT NULL, spoilt INT NOT NULL, reasons JSON NULL, doubt VARCHAR(255)
        NOT NULL DEFAULT '', counts BOOL NOT NULL DEFAULT TRUE, KEY book_hide_month (month), KEY
        book_hide_batch (batch_id), KEY book_hide_hide (hide_id), FOREIGN KEY (sheet_id) REFERENCES cut_sheet
        (id) ON DELETE CASCADE)""",
    f"""book_piece (
        id INT AUTO_INCREMENT PRIMARY KEY, sheet_id INT NOT NULL, batch_id INT NOT NULL, article VARCHAR(64)
        NOT NULL, piece VARCHAR(255) NOT NULL, revision VARCHAR(8) NOT NULL DEFAULT '', done INT NOT NULL,
        spoilt INT NOT NULL, area_m2 DOUBLE NOT NULL, cents BIGINT NOT NULL, planned_s DOUBLE NOT NULL, true_s
        DOUBLE NOT NULL, timed INT NOT NULL, {BY}, KEY book_piece_sheet (sheet_id), KEY book_piece_of
        (article, piece), FOREIGN KEY (sheet_id) REFERENCES book_hide (sheet_id) ON DELETE CASCADE)""",
    f"""book_seen (
        id INT AUTO_INCREMENT PRIMARY KEY, sheet_id INT NOT NULL, counts BOOL NOT NULL, words VARCHAR(255) NOT
        NULL, at DATETIME(3) NOT NULL, {BY}, KEY book_seen_sheet (sheet_id), FOREIGN KEY (sheet_id) REFERENCES
        cut_sheet (id) ON DELETE CASCADE)""",
    f"""learned_taken (
        id INT AUTO_INCREMENT PRIMARY KEY, kind VARCHAR(16) NOT NULL, of VARCHAR(255) NOT NULL, was DOUBLE
        NULL, value DOUBLE NOT NULL, low DOUBLE NULL, high DOUBLE NULL, n INT NOT NULL, at DATETIME(3) NOT
        NULL, {BY}, KEY learned_taken_of (kind, of))""",
    f"""shop_note (
        id INT AUTO_INCREMENT PRIMARY KEY, subject VARCHAR(16) NOT NULL, of INT NOT NULL, piece VARCHAR(64)
        NOT NULL DEFAULT '', words TEXT NOT NULL, made_at DATETIME(3) NOT NULL, done_at DATETIME(3) NULL,
        revision VARCHAR(8) NOT NULL DEFAULT '', {BY}, KEY shop_note_of (subject, of))""",
    """forecast_world (
        id INT AUTO_INCREMENT PRIMARY KEY, job_id INT NOT NULL, part VARCHAR(160) NOT NULL, number INT NOT
        NULL, owner VARCHAR(32) NOT NULL DEFAULT '', taken_at DATETIME(3) NULL, found JSON NULL,
        UNIQUE KEY forecast_world_of (job_id, part, number), FOREIGN KEY (job_id) REFERENCES work_job (id) ON
        DELETE CASCADE)""",
    """practice_round (
        id INT AUTO_INCREMENT PRIMARY KEY, person_id INT NULL, kind VARCHAR(16) NOT NULL, level INT NOT NULL,
        seed INT NOT NULL, asked JSON NOT NULL, done JSON NULL, score DOUBLE NULL, begun_at DATETIME(3) NOT
        NULL, ended_at DATETIME(3) NULL, lay_id INT NULL, KEY practice_round_of (person_id, kind), FOREIGN KEY
        (person_id) REFERENCES person (id) ON DELETE SET NULL, FOREIGN KEY (lay_id) REFERENCES lay (id) ON
        DELETE SET NULL)""",
)


def up(migrator: object, db: Database) -> None:
    def run(sql: str) -> Any:
        return db.execute_sql(sql)  # type: ignore[no-untyped-call]  # peewee types only part of itself

    run("ALTER TABLE cut_sheet ADD COLUMN IF NOT EXISTS facts JSON NULL")
    for table in TABLES:
        run(f"CREATE TABLE IF NOT EXISTS {table} {OPTIONS}")
