"""Markdown that people write, to HTML that cannot do harm."""

from __future__ import annotations

import nh3
from markdown_it import MarkdownIt
from markupsafe import Markup

_MARKDOWN = MarkdownIt("commonmark", {"html": False}).enable("table")
_TAGS = {"p", "strong", "em", "ul", "ol", "li", "blockquote", "code", "pre", "h3", "h4", "h5", "hr", "br", "table",
         "thead", "tbody", "tr", "th", "td", "a"}  # fmt: skip


def to_html(text: str) -> Markup:
    """Rendered and sanitised. Pictures, scripts, styles and raw HTML do not come through; headings start at h3."""
    for level in (3, 2, 1):
        text = "\n".join(
            f"{'#' * (level + 2)} {line[level + 1 :]}" if line.startswith("#" * level + " ") else line
            for line in text.split("\n")
        )
    html = nh3.clean(_MARKDOWN.render(text), tags=_TAGS, attributes={"a": {"href"}}, url_schemes={"http", "https"})
    return Markup(html)
