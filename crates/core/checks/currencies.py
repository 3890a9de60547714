"""Writes the currencies in use with their English names (ISO 4217 list one, names of CLDR).

    python crates/core/checks/currencies.py > crates/core/src/value/currencies.tsv
"""

from babel import Locale
from babel.core import get_global

# Legal tender somewhere today, by CLDR's supplemental data.
tender = {code for of in get_global("territory_currencies").values() for code, _, end, legal in of if end is None and legal}
# Funds, units of account and metals of the same list, which are tender nowhere.
others = "BOV CHE CHW CLF COU MXV USN UYI UYW XAG XAU XDR XPD XPT XSU XUA".split()
names = Locale("en", "GB").currencies
for code in sorted(tender | set(others)):
    if code in names:
        print(f"{code}\t{names[code]}")
