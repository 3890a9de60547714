"""Writes src/value/money.tsv: where each locale puts a currency, and its signs.

The data are CLDR's (unicode.org, Unicode License v3) as Babel ships them:
`numbers/currencyFormats/standard`, `numbers/currencies/*/symbol` and
`numbers/symbols/currencyGroup`. A language's row stands before those of its regions,
which tell only what is different there; what no row tells is as in `root`.

    python -m pip install babel==2.19.0 && python crates/core/checks/money-table.py
"""

from pathlib import Path

import babel
from babel import Locale, localedata

LANGUAGES = set(
    "root en nl de fr es it pt da sv nb nn no fi is fo pl cs sk sl hr hu ro bg el ru uk tr et lv lt ga gd cy mt ca eu gl "
    "lb fy sr bs mk sq be he ar fa hi ja ko zh th vi id ms sw af hy ka az kk".split()
)
CURRENCIES = (
    "EUR USD GBP JPY CNY CHF PLN SEK NOK DKK ISK CZK HUF RON BGN RSD MKD ALL BAM TRY UAH RUB BYN GEL AMD AZN KZT INR BRL MXN "
    "ARS CLP COP PEN UYU CAD AUD NZD ZAR KRW ILS THB SGD HKD TWD AED SAR EGP MAD TND NGN KES PHP IDR MYR VND"
).split()


def told(name):
    locale = Locale.parse(name)
    symbols = locale.number_symbols.get(locale.default_numbering_system, {})
    group = symbols.get("currencyGroup", "")
    return locale.currency_formats["standard"].pattern, group, {c: locale.currency_symbols.get(c, c) for c in CURRENCIES}


rows, lines, base = {}, [], told("root")
for name in sorted(["root", *localedata.locale_identifiers()], key=lambda n: (n.count("_"), n)):
    locale = Locale.parse(name)
    if locale.language not in LANGUAGES or locale.script or locale.variant:
        continue
    above = rows.get(locale.language, base) if locale.territory else base
    own = told(name)
    signs = {c: s for c, s in own[2].items() if name == "root" and s != c or name != "root" and s != above[2][c]}
    if locale.territory and own[:2] == above[:2] and not signs:
        continue
    rows[name] = own
    told_signs = " ".join(f"{c}={s}" for c, s in signs.items() if " " not in s)
    lines.append("\t".join([name.replace("_", "-"), own[0], own[1], told_signs]))

lines.insert(0, f"# CLDR as of Babel {babel.__version__}; written by checks/money-table.py: tag, pattern, group, signs.")
Path(__file__).parent.parent.joinpath("src/value/money.tsv").write_text("\n".join(lines) + "\n")
