"""Reports as PDF, set by Qt's text documents."""

from __future__ import annotations

import base64
import sys
from pathlib import Path
from urllib.parse import quote

from PySide6.QtCore import QMarginsF
from PySide6.QtGui import QGuiApplication, QPageLayout, QPageSize, QPdfWriter, QTextDocument

from irvane.core.errors import WriteError
from irvane.core.judge.report import Report
from irvane.core.store.atomic import atomic_file

_DPI, _MARGIN_MM = 110, 12.0


def _for_print(report: Report) -> str:
    """The report's page with its drawings as pictures: Qt's documents know no inline SVG."""
    html = report.html()
    for section in report.sections:
        for plot in section.plots:
            if plot:
                coded = base64.b64encode(plot.encode("utf-8")).decode("ascii")
                html = html.replace(
                    plot, f'<p><img src="data:image/svg+xml;base64,{quote(coded, safe="+/=")}"></p>'
                )
    html = html.replace("background: #ececec;", "").replace("background: #777;", "")
    html = html.replace("color: #fff;", "")  # white words are for grey paper
    return html


def write_pdf(report: Report, page: Path) -> Path:
    """Write a report as PDF beside its page; returns its path.

    Raises
    ------
    WriteError
    """
    _app = QGuiApplication.instance() or QGuiApplication([sys.argv[0], "-platform", "offscreen"])
    target = page.with_suffix(".pdf")
    with atomic_file(target, overwrite=False) as temporary:
        writer = QPdfWriter(str(temporary))
        writer.setPageLayout(
            QPageLayout(
                QPageSize(QPageSize.PageSizeId.A4),
                QPageLayout.Orientation.Landscape,
                QMarginsF(_MARGIN_MM, _MARGIN_MM, _MARGIN_MM, _MARGIN_MM),
            )
        )
        writer.setResolution(_DPI)
        writer.setTitle(report.title)
        writer.setCreator("Irvane")
        document = QTextDocument()
        document.setHtml(_for_print(report))
        document.print_(writer)
        del writer
        if temporary.stat().st_size == 0:
            raise WriteError(target, "the PDF could not be made")
    return target
