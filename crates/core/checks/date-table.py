"""Writes src/value/dates.tsv: how each locale writes dates, short to full.

The data are CLDR's (unicode.org, Unicode License v3) as Babel ships them:
`dates/calendars/gregorian/dateFormats`. A language's row stands before those of its
regions, which are there only where they differ. Languages that reckon by other
calendars or write other digits are left to ICU.

    python -m pip install babel==2.19.0 && python crates/core/checks/date-table.py
"""

from pathlib import Path

import babel
from babel import Locale, localedata

LANGUAGES = set(
    "en nl de fr es it pt da sv nb nn no fi is fo pl cs sk sl hr hu ro bg el ru uk tr et lv lt ga gd cy mt ca eu gl "
    "lb fy sr bs mk sq be he hi ja ko zh vi id ms sw af hy ka az kk".split()
)


def told(name):
    formats = Locale.parse(name).date_formats
    return [formats[length].pattern for length in ("short", "medium", "long", "full")]


rows, lines = {}, []
for name in sorted(localedata.locale_identifiers(), key=lambda n: (n.count("_"), n)):
    locale = Locale.parse(name)
    if locale.language not in LANGUAGES or locale.script or locale.variant:
        continue
    own = told(name)
    if locale.territory and own == rows[locale.language]:
        continue
    rows[name] = own
    lines.append("\t".join([name.replace("_", "-"), *own]))

lines.insert(0, f"# CLDR as of Babel {babel.__version__}; written by checks/date-table.py: tag, short, medium, long, full.")
Path(__file__).parent.parent.joinpath("src/value/dates.tsv").write_text("\n".join(lines) + "\n")
