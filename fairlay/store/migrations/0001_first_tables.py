"""The first tables: leather, articles, batches, lays with revisions, jobs.

A frozen copy of the tables as they were then. MariaDB does not roll DDL back, so every
statement may be run again after a break: tables and indexes are made where missing.
"""

from peewee import Database

atomic = False

OPTIONS = "ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci"

TABLES = (
    """hide (
        id INT AUTO_INCREMENT PRIMARY KEY, number VARCHAR(32) NOT NULL UNIQUE, kind VARCHAR(16) NOT NULL,
        material VARCHAR(64) NOT NULL, mill VARCHAR(64) NOT NULL, colour VARCHAR(32) NOT NULL,
        tannage VARCHAR(32) NOT NULL,
        temper VARCHAR(16) NOT NULL, thickness_mm DOUBLE NOT NULL, grade VARCHAR(16) NOT NULL,
        state VARCHAR(16) NOT NULL,
        cost_per_m2 DOUBLE NOT NULL, area_m2 DOUBLE NOT NULL, shape JSON NOT NULL, received_on DATE NOT NULL,
        KEY hide_material (material), KEY hide_state (state))""",
    """article (
        id INT AUTO_INCREMENT PRIMARY KEY, slug VARCHAR(64) NOT NULL UNIQUE, name VARCHAR(128) NOT NULL,
        note LONGTEXT NOT NULL)""",
    """piece (
        id INT AUTO_INCREMENT PRIMARY KEY, article_id INT NOT NULL, slug VARCHAR(64) NOT NULL,
        name VARCHAR(128) NOT NULL,
        material VARCHAR(64) NOT NULL, revision VARCHAR(16) NOT NULL, needs JSON NOT NULL,
        UNIQUE KEY piece_revision (article_id, slug, revision),
        FOREIGN KEY (article_id) REFERENCES article (id) ON DELETE CASCADE)""",
    """batch (
        id INT AUTO_INCREMENT PRIMARY KEY, number VARCHAR(32) NOT NULL UNIQUE, name VARCHAR(128) NOT NULL,
        state VARCHAR(16) NOT NULL,
        due_on DATE NULL, gap_mm DOUBLE NOT NULL, grain_school VARCHAR(16) NOT NULL,
        match_sets JSON NOT NULL, KEY batch_state (state))""",
    """batch_line (
        id INT AUTO_INCREMENT PRIMARY KEY, batch_id INT NOT NULL, article_id INT NOT NULL,
        quantity INT NOT NULL,
        UNIQUE KEY batch_article (batch_id, article_id),
        FOREIGN KEY (batch_id) REFERENCES batch (id) ON DELETE CASCADE,
        FOREIGN KEY (article_id) REFERENCES article (id))""",
    """batch_hide (
        id INT AUTO_INCREMENT PRIMARY KEY, batch_id INT NOT NULL, hide_id INT NOT NULL,
        UNIQUE KEY batch_hide_once (batch_id, hide_id),
        FOREIGN KEY (batch_id) REFERENCES batch (id) ON DELETE CASCADE,
        FOREIGN KEY (hide_id) REFERENCES hide (id))""",
    """lay (
        id INT AUTO_INCREMENT PRIMARY KEY, batch_id INT NOT NULL, material VARCHAR(64) NOT NULL,
        objective VARCHAR(16) NOT NULL,
        job JSON NOT NULL, head INT NOT NULL, created_at DATETIME(3) NOT NULL,
        FOREIGN KEY (batch_id) REFERENCES batch (id) ON DELETE CASCADE)""",
    """lay_revision (
        id INT AUTO_INCREMENT PRIMARY KEY, lay_id INT NOT NULL, number INT NOT NULL,
        source VARCHAR(16) NOT NULL, mark VARCHAR(128) NOT NULL,
        stands_for INT NULL, changes JSON NOT NULL, unplaced JSON NOT NULL, measures JSON NOT NULL,
        worth DOUBLE NOT NULL, created_at DATETIME(3) NOT NULL,
        UNIQUE KEY lay_revision_number (lay_id, number),
        FOREIGN KEY (lay_id) REFERENCES lay (id) ON DELETE CASCADE)""",
    """work_job (
        id INT AUTO_INCREMENT PRIMARY KEY, kind VARCHAR(16) NOT NULL, lay_id INT NOT NULL,
        state VARCHAR(16) NOT NULL, seconds DOUBLE NOT NULL,
        seed INT NOT NULL, stop_asked BOOL NOT NULL, version INT NOT NULL, attempts INT NOT NULL,
        revision INT NULL, spent_s DOUBLE NOT NULL,
        history JSON NOT NULL, error LONGTEXT NOT NULL, beat_at DATETIME(3) NULL,
        created_at DATETIME(3) NOT NULL, ended_at DATETIME(3) NULL,
        KEY work_job_state (state), FOREIGN KEY (lay_id) REFERENCES lay (id) ON DELETE CASCADE)""",
)


def up(migrator: object, db: Database) -> None:
    for table in TABLES:
        db.execute_sql(f"CREATE TABLE IF NOT EXISTS {table} {OPTIONS}")  # type: ignore[no-untyped-call]  # peewee types only part of itself
