"""An article as exchange JSON (docs/exchange-format.md): everything that is kept of it, so that it can be
read back whole.
"""

from __future__ import annotations

import json
from typing import Any

from pydantic import TypeAdapter, ValidationError

from fairlay.core.errors import BadPattern
from fairlay.core.formats.exchange import explain
from fairlay.core.pattern.article import Article, check_article

ARTICLE_FORMAT = "fairlay.article/1"
_ARTICLE = TypeAdapter(Article)


def article_values(article: Article) -> dict[str, Any]:
    """Return an article as JSON-ready values."""
    values: dict[str, Any] = _ARTICLE.dump_python(article, mode="json")
    return values


def parse_article(values: Any) -> Article:
    """Return the article of JSON values that were checked before.

    Raises BadPattern where they are no article at all.
    """
    try:
        return _ARTICLE.validate_python(values)
    except ValidationError as cause:
        raise BadPattern(
            f"the article cannot be read: {explain(cause, 'article')}",
            value=cause.error_count(),
            expected=ARTICLE_FORMAT,
        ) from cause


def article_from(values: Any) -> Article:
    """Return the article of JSON values. Raises BadPattern naming what is wrong."""
    article = parse_article(values)
    check_article(article)
    return article


def write_article(article: Article, revision: str = "A", reason: str = "") -> str:
    """Return an article as the text of an exchange file."""
    return (
        json.dumps(
            {
                "format": ARTICLE_FORMAT,
                "units": "mm",
                "revision": revision,
                "reason": reason,
                "article": article_values(article),
            },
            indent=1,
            allow_nan=False,
        )
        + "\n"
    )


def read_article(text: bytes | str) -> Article:
    """Return the article of an exchange file.

    Raises BadPattern for broken JSON, another format or an article that makes no sense.
    """
    try:
        values = json.loads(text)
    except UnicodeDecodeError as cause:
        raise BadPattern("the file is not text in UTF-8", expected="JSON") from cause
    except json.JSONDecodeError as cause:
        raise BadPattern(
            f"the file is not whole JSON: {cause.msg} at line {cause.lineno}, column {cause.colno}",
            value=cause.pos,
            expected="JSON",
        ) from cause
    found = values.get("format") if isinstance(values, dict) else None
    if found != ARTICLE_FORMAT:
        raise BadPattern(f"the file's format is {found!r}", value=found, expected=ARTICLE_FORMAT)
    return article_from(values.get("article"))
