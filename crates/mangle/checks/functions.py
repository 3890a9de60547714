"""Compares the functions of the placeholder language with an independent
calculator, and writes the differences down.

    make compare-functions

The calculator (`formulas` from PyPI) evaluates spreadsheet formulas; both get the
same expressions. Dates are compared as their serial numbers. What the calculator answers is
kept for the tests where both agree.
"""

import itertools
import json
import logging
import subprocess
import sys
import warnings
from decimal import Decimal, InvalidOperation
from pathlib import Path

import formulas

warnings.filterwarnings("ignore")
logging.disable(logging.CRITICAL)

NUMBERS = ["0", "1", "-1", "2.5", "-2.5", "1234.567", "-0.05", "1000"]
TEXTS = ['"Grace"', '"two words"', '""', '"MÖWE"', '" a  b "']
DAYS = [(2026, 1, 31), (2024, 2, 29), (2026, 11, 23), (2025, 12, 31), (1999, 3, 1)]

# Why the two differ where they do; a difference without a reason is a fault to be found.
REASONS = {
    "CEILING": "OpenFormula (6.17.1) wants number and step of one sign and rounds negative ones towards plus infinity; the calculator rounds them away from zero",
    "FLOOR": "as CEILING, the other way (6.17.3)",
    "POWER": "0 to the power of 0 is left open by OpenFormula (6.16.46): 1 here, an error there",
    "CHAR": "above 127 the calculator counts in another code page; here it is Latin-1",
    "DATEDIF": "the calculator does not know it",
    "QUOTIENT": "the calculator does not know it",
    "MEDIAN": "the calculator takes no plain numbers",
    "WORKDAY": "the calculator fails where it begins on a weekend",
    "TRIM": "the calculator leaves doubled spaces within the text; OpenFormula (6.20.24) makes them one",
}


def day(y, m, d):
    """A date for both: as the language writes it, and as the calculator does."""
    return f"{y:04}-{m:02}-{d:02}", f"DATE({y},{m},{d})"


def cases():
    """Function, expression for the language, expression for the calculator."""
    for name in ("ABS", "SIGN", "INT", "SQRT"):
        for n in NUMBERS:
            yield name, f"{name}({n})", None
    for name, n, p in itertools.product(("ROUND", "ROUNDUP", "ROUNDDOWN", "TRUNC"), NUMBERS, ("0", "1", "2", "-1", "-2")):
        yield name, f"{name}({n},{p})", None
    for name, a, b in itertools.product(("MOD", "POWER", "QUOTIENT"), NUMBERS, ("2", "-3", "0.5", "0")):
        yield name, f"{name}({a},{b})", None
    for name, a, b in itertools.product(("CEILING", "FLOOR"), NUMBERS, ("1", "0.5", "-2")):
        yield name, f"{name}({a},{b})", None
    for name, parts in itertools.product(("SUM", "PRODUCT", "MIN", "MAX", "AVERAGE", "COUNT", "COUNTA", "MEDIAN"), itertools.combinations(NUMBERS, 3)):
        yield name, f"{name}({','.join(parts)})", None
    for a, b in itertools.product(("TRUE", "FALSE"), repeat=2):
        for name in ("AND", "OR", "XOR"):
            yield name, f"{name}({a},{b})", None
        yield "IF", f"IF({a},1,2)", None
        yield "NOT", f"NOT({a})", None
    for n in ("1", "2", "3", "4"):
        yield "CHOOSE", f'CHOOSE({n},"a","b","c")', None
        yield "SWITCH", f'SWITCH({n},1,"one",2,"two","more")', None
        yield "IFS", f'IFS({n}=1,"one",{n}<4,"few",TRUE,"many")', None
    for e in ("1/0", '"a"+1', "3", 'MATCH(9,1,0)'):
        yield "IFERROR", f'IFERROR({e},"x")', None
        yield "ISERROR", f"ISERROR({e})", None
    for name, t in itertools.product(("LEN", "UPPER", "LOWER", "TRIM", "CLEAN"), TEXTS):
        yield name, f"{name}({t})", None
    for t in ('"two words"', '"GRACE o hara"', '"ab1cd"'):
        yield "PROPER", f"PROPER({t})", None
    for name, t, n in itertools.product(("LEFT", "RIGHT", "REPT"), TEXTS, ("0", "1", "3", "9")):
        yield name, f"{name}({t},{n})", None
    for t, s, n in itertools.product(TEXTS, ("1", "2", "5"), ("0", "2", "9")):
        yield "MID", f"MID({t},{s},{n})", None
        yield "REPLACE", f'REPLACE({t},{s},{n},"x")', None
    for name, s, t in itertools.product(("FIND", "SEARCH"), ('"a"', '"w"', '"A"', '"zz"'), TEXTS):
        yield name, f"{name}({s},{t})", None
    for t, s in itertools.product(TEXTS, ('"a"', '"o"', '" "')):
        yield "SUBSTITUTE", f'SUBSTITUTE({t},{s},"-")', None
        yield "SUBSTITUTE", f'SUBSTITUTE({t},{s},"-",1)', None
        yield "EXACT", f"EXACT({t},{s})", None
        yield "CONCATENATE", f"CONCATENATE({t},{s})", None
    for t in ('"12"', '"1.5"', '"-3"', '"x"'):
        yield "VALUE", f"VALUE({t})", None
    for n in ("65", "97", "176"):
        yield "CHAR", f"CHAR({n})", None
        yield "UNICHAR", f"UNICHAR({n})", None
    for one in DAYS:
        ours, theirs = day(*one)
        for name in ("YEAR", "MONTH", "DAY", "WEEKDAY", "ISOWEEKNUM"):
            yield name, f"{name}({ours})", f"{name}({theirs})"
        for kind in ("1", "2", "3"):
            yield "WEEKDAY", f"WEEKDAY({ours},{kind})", f"WEEKDAY({theirs},{kind})"
        for kind in ("1", "2", "21"):
            yield "WEEKNUM", f"WEEKNUM({ours},{kind})", f"WEEKNUM({theirs},{kind})"
        for n in ("0", "1", "-1", "13"):
            yield "EDATE", f"EDATE({ours},{n}) - 1899-12-30", f"EDATE({theirs},{n})"
            yield "EOMONTH", f"EOMONTH({ours},{n}) - 1899-12-30", f"EOMONTH({theirs},{n})"
        for other in DAYS:
            mine, yours = day(*other)
            yield "DAYS", f"DAYS({ours},{mine})", f"DAYS({theirs},{yours})"
            if other >= one:
                yield "NETWORKDAYS", f"NETWORKDAYS({ours},{mine})", f"NETWORKDAYS({theirs},{yours})"
                for unit in ("y", "m", "d"):
                    yield "DATEDIF", f'DATEDIF({ours},{mine},"{unit}")', f'DATEDIF({theirs},{yours},"{unit}")'
        for n in ("1", "5", "10"):
            yield "WORKDAY", f"WORKDAY({ours},{n}) - 1899-12-30", f"WORKDAY({theirs},{n})"
    for h, m in (("9", "30"), ("0", "0"), ("23", "59")):
        yield "TIME", f"HOUR(TIME({h},{m},0))*60+MINUTE(TIME({h},{m},0))", None
    for rate, n, v in itertools.product(("0.05", "0.01"), ("12", "36"), ("-1000", "25000")):
        yield "PMT", f"ROUND(PMT({rate},{n},{v}),6)", None
        yield "PV", f"ROUND(PV({rate},{n},{v}),6)", None
        yield "FV", f"ROUND(FV({rate},{n},{v}),4)", None
        yield "NPV", f"ROUND(NPV({rate},{v},100,200),6)", None


def theirs(expression):
    try:
        value = formulas.Parser().ast("=" + expression)[1].compile()()
        value = getattr(value, "tolist", lambda: value)()
        while isinstance(value, list):
            value = value[0]
    except Exception:
        return "error"
    text = str(value)
    if text.startswith("#"):
        return "error"
    return text.lower() if text in ("True", "False") else text


def same(one, other):
    if one == other:
        return True
    try:
        a, b = Decimal(one), Decimal(other)
    except InvalidOperation:
        return False
    return abs(a - b) <= max(abs(a), abs(b)) * Decimal("1e-12")


def main(mangle, out, kept):
    rows = list(cases())
    batch = "\n".join(ours for _, ours, _ in rows)
    path = Path("/tmp/mangle-functions.txt")
    path.write_text(batch, encoding="utf-8")
    answers = subprocess.run([mangle, "eval", "--batch", str(path), "--locale", "en-GB", "--today", "2026-11-23"], capture_output=True, text=True).stdout.splitlines()
    assert len(answers) == len(rows), (len(answers), len(rows))
    agreed, differ, answered = {}, [], []
    for (name, ours, other), answer in zip(rows, answers):
        answer = json.loads(answer)
        mine = "error" if answer.get("error") else str(answer.get("exact", answer.get("text", "")))
        mine = mine.lower() if isinstance(answer.get("exact"), bool) else mine
        yours = theirs(other or ours)
        agreed.setdefault(name, [0, 0])
        agreed[name][1] += 1
        if same(mine, yours) or (mine in ("", "None") and yours in ("", "None")):
            agreed[name][0] += 1
            answered.append(json.dumps([ours, yours if yours != "None" else ""], ensure_ascii=False))
        else:
            differ.append((name, ours, mine, yours))
    total, alike = sum(n for _, n in agreed.values()), sum(n for n, _ in agreed.values())
    unexplained = sorted({d[0] for d in differ if d[0] not in REASONS})
    lines = ["# Functions compared with an independent calculator", "",
             f"Made by `make compare-functions`: {total} expressions of {len(agreed)} functions, evaluated by `mangle eval` and by `formulas` {formulas.__version__} from PyPI. {alike} agree.", "",
             "| function | agree | of |", "|---|---|---|"]
    lines += [f"| {name} | {yes} | {of} |" for name, (yes, of) in sorted(agreed.items())]
    lines += ["", "## Differences", ""]
    for name, group in itertools.groupby(sorted(differ), key=lambda d: d[0]):
        group = list(group)
        lines.append(f"**{name}** ({len(group)}): {REASONS.get(name, 'not explained yet')}.")
        lines += [""] + [f"- `{ours}`: {mine!r} here, {yours!r} there" for _, ours, mine, yours in group[:4]] + [""]
    Path(kept).write_text("\n".join(answered) + "\n", encoding="utf-8")
    Path(out).write_text("\n".join(lines) + "\n", encoding="utf-8")
    print(f"{alike} of {total} agree; not explained: {', '.join(unexplained) or 'none'}")


main(*sys.argv[1:4])
