"""Articles as whole documents with revisions, which batches are planned with; files that patterns come from.

Every step may be run again: an article without a revision is given its first from its old pieces, and the
table of pieces goes only when all have one.
"""

import json
from typing import Any

from peewee import Database

atomic = False

OPTIONS = "ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci"
TABLES = (
    """article_revision (
        id INT AUTO_INCREMENT PRIMARY KEY, article_id INT NOT NULL, number INT NOT NULL,
        reason LONGTEXT NOT NULL, document JSON NOT NULL,
        version INT NOT NULL, created_at DATETIME(3) NOT NULL,
        UNIQUE KEY article_revision_number (article_id, number),
        FOREIGN KEY (article_id) REFERENCES article (id) ON DELETE CASCADE)""",
    """upload (
        id INT AUTO_INCREMENT PRIMARY KEY, name VARCHAR(255) NOT NULL, media_type VARCHAR(64) NOT NULL,
        body LONGBLOB NOT NULL, created_at DATETIME(3) NOT NULL)""",
)


def up(migrator: object, db: Database) -> None:
    def run(sql: str, values: tuple[Any, ...] = ()) -> Any:
        return db.execute_sql(sql, values)  # type: ignore[no-untyped-call]  # peewee types only part of itself

    for table in TABLES:
        run(f"CREATE TABLE IF NOT EXISTS {table} {OPTIONS}")
    run("ALTER TABLE batch_line ADD COLUMN IF NOT EXISTS revision_id INT NULL")
    run("ALTER TABLE batch_line ADD COLUMN IF NOT EXISTS ways JSON NOT NULL DEFAULT '{}'")
    if run(
        "SELECT COUNT(*) FROM information_schema.tables WHERE table_schema = DATABASE() AND table_name = "
        "'piece'"
    ).fetchone()[0]:
        _documents(run)
    run(
        "UPDATE batch_line SET revision_id = (SELECT MAX(r.id) FROM article_revision r WHERE r.article_id = "
        "batch_line.article_id) WHERE revision_id IS NULL"
    )
    run(
        "ALTER TABLE batch_line ADD CONSTRAINT FOREIGN KEY IF NOT EXISTS batch_line_revision (revision_id) "
        "REFERENCES article_revision (id)"
    )
    run("DROP TABLE IF EXISTS piece")


def _documents(run: Any) -> None:
    articles = run(
        "SELECT id, slug, name, note FROM article WHERE id NOT IN (SELECT article_id FROM article_revision)"
    ).fetchall()
    for article_id, slug, name, note in articles:
        rows = run(
            "SELECT slug, name, material, needs FROM piece WHERE article_id = %s ORDER BY id", (article_id,)
        ).fetchall()
        pieces = [_pattern(s, n, m, json.loads(needs)) for s, n, m, needs in rows]
        document = {"slug": slug, "name": name, "note": note, "pieces": pieces}
        run(
            "INSERT INTO article_revision (article_id, number, reason, document, version, created_at) VALUES "
            "(%s, 1, %s, %s, 1, UTC_TIMESTAMP(3))",
            (article_id, "", json.dumps(document)),
        )


def _pattern(slug: str, name: str, material: str, needs: dict[str, Any]) -> dict[str, Any]:
    grain, thickness = needs.get("grain", {}), needs.get("thickness_mm") or (None, None)
    return {
        "slug": slug,
        "name": name,
        "material": material,
        "each": needs["quantity"],
        "contour": needs["outline"],
        "windows": needs.get("holes", []),
        "pair": needs.get("pair", False),
        "needs": {
            "template": "as it was",
            "grain_deg": grain.get("axis_deg", 0.0),
            "grain_tolerance_deg": grain.get("tolerance_deg", 180.0),
            "reversible": grain.get("reversible", True),
            "show_limit": needs.get("show_limit", 2),
            "hidden": needs.get("hidden", []),
            "max_tightness": needs.get("max_tightness", 4),
            "least_mm": thickness[0],
            "most_mm": thickness[1],
            "value": needs.get("value", 1.0),
        },
    }
