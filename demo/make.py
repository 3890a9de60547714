"""Makes the demo world's files. Run it only to change them:

    python3 -m venv .venv && .venv/bin/pip install python-docx openpyxl
    .venv/bin/python demo/make.py

Everything here is invented. Amounts, names and dates come from a fixed seed, so
that the files are the same every time. The demo's day is 23 November 2026.
"""

import csv
import datetime as dt
import io
import random
import struct
import zipfile
import zlib
from pathlib import Path

import docx
import openpyxl
from docx.enum.text import WD_ALIGN_PARAGRAPH, WD_TAB_ALIGNMENT
from docx.oxml import OxmlElement
from docx.oxml.ns import qn
from docx.shared import Cm, Pt, RGBColor
from openpyxl.styles import Font

HERE = Path(__file__).parent
TODAY = dt.date(2026, 11, 23)
R = random.Random(1887)

# ref number: (salutation, first, last, language, e-mail, mobile, home, street, postcode, town, country,
#              boat, kind, berth, balance, due)
KNOWN = {
    3: ("Señor", "Tomás", "Ibáñez-Rourke", "en-GB", "tomas@ibanez.example", "07700 900103", "", "4 Ropewalk", "BQ1 2AB", "Brackwater", "GB", "La Golondrina de Invierno", "sail", "A02", 0, None),
    17: ("Mevrouw", "Femke", "Achterberg", "nl-NL", "femke.achterberg@post.example", "", "020 7946 0217", "Havenstraat 12", "1411 AB", "Naarden", "NL", "Stille Wind", "sail", "A09", 1960, (2026, 9, 30)),
    31: ("", "", "Quayle", "en-GB", "office@quayle-marine.example", "07700 900131", "", "Quayle Marine, Unit 3", "BQ1 4ZZ", "Brackwater", "GB", "Second Thoughts", "motor", "A15", 48112.50, (2026, 7, 1)),
    48: ("Herr", "Jörg", "Brückner", "de-DE", "joerg.brueckner@", "", "", "Am Deich 7", "26506", "Norden", "DE", "Möwe", "sail", "B01", 405, (2026, 9, 30)),
    62: ("Ms", "Niamh", "O’Hara", "en-GB", "niamh@ohara.example", "07700 900162", "", "1 Chandler’s Yard", "BQ1 1AA", "Brackwater", "GB", "Grace", "sail", "B06", 12.35, (2026, 10, 31)),
    77: ("Madame", "Marie-Hélène", "Delacroix-Fontanille", "fr-FR", "mh.delacroix@courrier.example", "", "01 99 00 12 77", "18, quai des Brumes", "29900", "Concarneau", "FR", "L’Échappée belle du bout du monde", "sail", "B11", 1320, (2026, 8, 31)),
    90: ("Ms", "Åsa", "Lindqvist", "en-GB", "asa@lindqvist.example", "07700 900190", "020 7946 0290", "22 Slipway Row", "BQ1 3CD", "Brackwater", "GB", "Vågen", "sail", "B19", 910, (2026, 8, 31)),
    104: ("Mr", "", "Haddad", "en-GB", "haddad@bahr.example", "07700 900104", "", "9 Lock Lane", "BQ2 9LL", "Upper Quay", "GB", "نورس", "motor", "C03", 2130, (2026, 8, 15)),
    119: ("Mr", "Rupert", "Pemberton-Ashe", "en-GB", "rupert@ashe.example", "07700 900119", "", "The Old Customs House", "BQ1 1QQ", "Brackwater", "GB", "Unsinkable III", "motor", "C05", 0, None),
    131: ("Ms", "Emi", "Nakagawa", "en-GB", "emi@nakagawa.example", "", "020 7946 0131", "5 Ferry Steps", "BQ1 7FS", "Brackwater", "GB", "Tortoise", "sail", "C08", 760, (2026, 9, 30)),
    150: ("Meneer", "Bram", "Vermeulen", "nl-NL", "bram@vermeulen.example", "", "", "Kadijkstraat 4", "8011 AA", "Zwolle", "NL", "Goede Hoop", "sail", "C10", 1120, (2026, 9, 30)),
    152: ("Mr", "Nils", "Lindqvist", "en-GB", "asa@lindqvist.example", "07700 900152", "", "22 Slipway Row", "BQ1 3CD", "Brackwater", "GB", "Lilla My", "dinghy", "C11a", 0, None),
    168: ("", "Oriel", "Moss", "en-GB", "oriel.moss@letter.example", "07700 900168", "", "Hope Cottage", "BQ3 5MH", "Saltmarsh", "GB", "Kittiwake", "sail", "C11", 445, (2026, 10, 31)),
    201: ("Ms", "Zuzanna", "Kowalczyk", "en-GB", "zuza@kowalczyk.example", "07700 900201", "", "31 Net Loft", "BQ1 6NL", "Brackwater", "GB", "Burza", "sail", "C13", 520, (2026, 10, 31)),
    214: ("Mevrouw", "Marijke", "van der Zwaluw", "nl-NL", "marijke@zwaluw.example", "", "020 7946 0614", "Kadijkstraat 9", "8011 AA", "Zwolle", "NL", "De Grauwe Gans", "sail", "C14", 1234.50, (2026, 9, 30)),
}

FIRST = ["Alder", "Ida", "Luz", "Corin", "Maud", "Piet", "Greta", "Yusuf", "Hanne", "Elowen", "Tobias", "Wanda", "Idris", "Sanne", "Lotte", "Fergus", "Noor", "Anselm", "Clémence", "Bastien", "Annika", "Ruben", "Olwen", "Jasper", "Mireille", "Henk", "Sabine", "Dougal", "Inês", "Kwame"]
LAST = ["Fernsby", "Sørensen", "Castellanos", "Threlkeld", "Wexcombe", "de Boer", "Hasselbach", "Okonjo", "Penhallow", "Van Rijswijk", "Lachance", "Mortlake", "Steenhuis", "Brandauer", "Aldersey", "Kettlewell", "Ó Briain", "Quistgaard", "Vandersloot", "Farrow", "Eichholz", "Delorme", "Tregarthen", "Bakker", "Underhay", "Marchetti", "Zielinski", "Haverkamp", "Rowntree", "Lisle"]
BOATS = ["Patience", "Havfrue", "Marejada", "Windflower", "Sea Thrift", "Oude Liefde", "Petrel", "Compass Rose", "Nachtigall", "Belle Étoile", "Razorbill", "Slow Dance", "Wilde Zwaan", "Halcyon", "Silver Darling", "Albatros", "Tern", "Morgenröte", "Sandpiper", "Bluebottle", "Le Petit Mousse", "Quiet Achiever", "Zeemeeuw", "Ghost of a Chance", "Turnstone", "Kestrel", "Fair Weather Friend", "Ondine", "Storm Petrel", "Dunlin"]
STREETS = ["Ropewalk", "Slipway Row", "Chandler’s Yard", "Lock Lane", "Ferry Steps", "Net Loft", "Sailmaker Street", "Tidewater Terrace"]
TITLES = {"en-GB": ["Mr", "Ms", "Dr", "Mrs"], "nl-NL": ["Meneer", "Mevrouw"], "de-DE": ["Herr", "Frau"], "fr-FR": ["Monsieur", "Madame"]}


def slug(text):
    table = str.maketrans("åäáàâãéèêëíìîïóòôöøúùûüçñýœßÅÉÓÍ", "aaaaaaeeeeiiiiooooouuuucnyosAEOI")
    return "".join(c for c in text.translate(table).lower() if c.isascii() and c.isalnum())


def holders():
    rows = []
    for n in range(1, 215):
        if n in KNOWN:
            (sal, first, last, lang, mail, mobile, home, street, code, town, country, boat, kind, berth, balance, due) = KNOWN[n]
        else:
            lang = R.choice(["en-GB"] * 6 + ["nl-NL", "nl-NL", "de-DE", "fr-FR"])
            sal = R.choice(TITLES[lang])
            first, last = R.choice(FIRST), R.choice(LAST)
            mail = f"{slug(first)}.{slug(last)}{n}@{R.choice(['post', 'letter', 'harbourmail', 'courrier'])}.example"
            mobile = R.choice([f"07700 900{n:03}", f"07700 900{n:03}", ""])
            home = R.choice([f"020 7946 0{n:03}", ""])
            street, code, town, country = f"{R.randint(1, 60)} {R.choice(STREETS)}", f"BQ{R.randint(1, 4)} {R.randint(1, 9)}{R.choice('ABDEFG')}{R.choice('HJLNP')}", "Brackwater", "GB"
            boat, kind, berth = f"{R.choice(BOATS)}{R.choice(['', '', '', ' II'])}", R.choice(["sail", "sail", "motor", "dinghy"]), f"{'ABCD'[n * 4 // 216]}{n % 54 + 20:02}"
            balance = R.choice([0, 0, 0, 0, round(R.uniform(40, 2900), 2), float(R.randint(2, 60) * 35)])
            due = None if balance == 0 else R.choice([(2026, 6, 30), (2026, 8, 31), (2026, 9, 30), (2026, 10, 31), (2026, 11, 15)])
        due = dt.date(*due) if due else None
        loa = round(R.uniform(4.2, 18.5), 1)
        fee = round(loa * R.choice([118, 124.5, 131]), 2)
        insured = TODAY + dt.timedelta(days=R.randint(20, 400))
        if n == 119:
            insured = dt.date(2026, 6, 1)
        left = dt.date(2026, 10, 5) if n == 131 else None
        rows.append({
            "Ref": f"BQ-{n:04}", "Salutation": sal or None, "First name": first or None, "Last_Name": last, "Language": lang, "E-mail": mail,
            "Mobile": mobile or None, "Home phone": home or None, "Street": street, "Suite": R.choice([None] * 9 + ["Flat 2", "Studio B"]) if n not in KNOWN else None,
            "Postcode": code, "Town": town, "Country": country, "Boat name": boat, "Type": kind, "LOA": loa, "Beam": round(loa * 0.31, 2),
            "Draught": round(R.uniform(0.4, 2.3), 2), "Pontoon": berth[0], "Berth": berth, "Since": dt.date(R.randint(1994, 2025), R.randint(1, 12), 1),
            "Yearly fee": fee, "Deposit": round(fee * 0.1, 2), "Paid": round(max(0.0, fee - float(balance)), 2), "Insurance until": insured,
            "Liveaboard": R.random() < 0.12, "Electricity": R.choice(["metered", "flat rate", "none"]), "Balance": float(balance), "Due date": due,
            "Days overdue": (TODAY - due).days if due else None, "Left": left, "Photo": f"boats/{slug(boat) or 'boat'}.jpg", "Note": "asked for paper letters" if n == 168 else None,
        })
    return rows


def sheet(book, name, rows, first=False):
    ws = book.active if first else book.create_sheet()
    ws.title = name
    heads = list(rows[0])
    ws.append(heads)
    for cell in ws[1]:
        cell.font = Font(bold=True)
    for row in rows:
        ws.append([row[h] for h in heads])
    for column, head in enumerate(heads, 1):
        for (cell,) in ws.iter_rows(min_row=2, min_col=column, max_col=column):
            if isinstance(cell.value, dt.date):
                cell.number_format = "dd/mm/yyyy"
            elif head in ("Yearly fee", "Deposit", "Paid", "Balance", "Fee"):
                cell.number_format = "#,##0.00"
    ws.freeze_panes = "A2"


def pack(path, data):
    """Rewrites a zip with fixed times, so that the same content gives the same bytes."""
    with zipfile.ZipFile(io.BytesIO(data)) as source, zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as out:
        for name in source.namelist():
            info = zipfile.ZipInfo(name, (2026, 11, 2, 9, 0, 0))
            info.compress_type = zipfile.ZIP_DEFLATED
            out.writestr(info, source.read(name))


def season():
    book = openpyxl.Workbook()
    book.properties.created = book.properties.modified = dt.datetime(2026, 11, 2, 9, 0)
    sheet(book, "Holders", holders(), True)
    sheet(book, "Visitors", [{
        "Name": f"{R.choice(FIRST)} {R.choice(LAST)}", "E-mail": f"guest{n}@{R.choice(['post', 'letter'])}.example", "Boat name": R.choice(BOATS), "LOA": round(R.uniform(5, 16), 1),
        "Arrival": TODAY - dt.timedelta(days=R.randint(0, 60)), "Nights": R.randint(1, 9), "Fee": round(R.uniform(22, 310), 2), "Paid": R.random() < 0.8,
    } for n in range(1, 39)])
    people = [("Ida Kelling", "Harbour master"), ("Corin Threlkeld", "Berthing"), ("Maud Wexcombe", "Accounts"), ("Piet de Boer", "Yard foreman"), ("Sanne Bakker", "Crane"),
              ("Idris Penhallow", "Rigging"), ("Greta Hasselbach", "Paint shop"), ("Yusuf Okonjo", "Engines"), ("Elowen Tregarthen", "Front desk")]
    sheet(book, "Staff", [{"Name": name, "Post": post, "E-mail": f"{slug(name.split()[0])}@brackwater-quay.example", "Desk phone": f"020 7946 09{n:02}"} for n, (name, post) in enumerate(people, 1)])
    out = io.BytesIO()
    book.save(out)
    pack(HERE / "season.xlsx", out.getvalue())


def prices():
    rows = [("Artikel", "Bezeichnung", "Einheit", "Preis", "MwSt", "Gültig ab")]
    for n, (what, unit, price) in enumerate([("Kranen bis 8 t", "Hub", "184,00"), ("Kranen über 8 t", "Hub", "1.248,50"), ("Winterlager Halle", "m²", "62,40"), ("Unterwasserschiff, Hochdruckreinigung", "m²", "9,75"),
                                             ("Mast legen", "Stück", "145,00"), ("Antifouling, zweimal", "m²", "38,20"), ("Bordstrom", "kWh", "0,42"), ("Liegeplatz Gast, Nacht", "m", "2,85")], 1):
        rows.append((f"P-{n:03}", what, unit, price, "19 %", "01.10.2026"))
    text = io.StringIO()
    csv.writer(text, delimiter=";", lineterminator="\r\n").writerows(rows)
    (HERE / "price-list.csv").write_bytes(text.getvalue().encode("cp1252"))


def mark():
    """The quay's mark: a small PNG drawn here."""
    w = h = 96
    rows = bytearray()
    for y in range(h):
        rows.append(0)
        for x in range(w):
            dx, dy = x - 47.5, y - 47.5
            ring = 38 < (dx * dx + dy * dy) ** 0.5 < 46
            wave = abs(dy - 10 * __import__("math").sin(x / 8)) < 4 and dx * dx + dy * dy < 36 * 36
            rows += bytes((30, 58, 95) if ring or wave else (255, 255, 255))
    chunk = lambda kind, data: struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", struct.pack(">IIBBBBB", w, h, 8, 2, 0, 0, 0)) + chunk(b"IDAT", zlib.compress(bytes(rows), 9)) + chunk(b"IEND", b"")


def field(paragraph, instruction, size):
    for kind, text in (("begin", None), (None, instruction), ("separate", None), ("text", "1"), ("end", None)):
        run = paragraph.add_run()
        run.font.size = Pt(size)
        if kind == "text":
            run.text = text
        elif kind is None:
            element = OxmlElement("w:instrText")
            element.set(qn("xml:space"), "preserve")
            element.text = f" {text} "
            run._r.append(element)
        else:
            element = OxmlElement("w:fldChar")
            element.set(qn("w:fldCharType"), kind)
            run._r.append(element)


def edge(paragraph, side):
    borders = OxmlElement("w:pBdr")
    line = OxmlElement(f"w:{side}")
    for key, value in (("val", "single"), ("sz", "6"), ("space", "6"), ("color", "1E3A5F")):
        line.set(qn(f"w:{key}"), value)
    borders.append(line)
    paragraph._p.get_or_add_pPr().append(borders)


def cell_borders(table, color="BBBBBB"):
    properties = table._tbl.tblPr
    borders = OxmlElement("w:tblBorders")
    for side in ("top", "bottom", "insideH"):
        line = OxmlElement(f"w:{side}")
        for key, value in (("val", "single"), ("sz", "4"), ("space", "0"), ("color", color)):
            line.set(qn(f"w:{key}"), value)
        borders.append(line)
    properties.append(borders)


def shade(cell, color):
    element = OxmlElement("w:shd")
    for key, value in (("val", "clear"), ("color", "auto"), ("fill", color)):
        element.set(qn(f"w:{key}"), value)
    cell._tc.get_or_add_tcPr().append(element)


def letter(path, old=False):
    d = docx.Document()
    d.core_properties.author, d.core_properties.title = "Brackwater Quay", "Balance reminder"
    d.core_properties.created = d.core_properties.modified = dt.datetime(2026, 11, 2, 9, 0)
    style = d.styles["Normal"]
    style.font.name, style.font.size = "Times New Roman", Pt(11)
    style.paragraph_format.space_after = Pt(8)
    style.paragraph_format.line_spacing = 1.1
    s = d.sections[0]
    s.page_width, s.page_height = Cm(21), Cm(29.7)
    s.left_margin = s.right_margin = Cm(2.5)
    s.top_margin, s.bottom_margin, s.header_distance, s.footer_distance = Cm(3.6), Cm(2.4), Cm(1.4), Cm(1.1)
    width = Cm(16)

    h = s.header.paragraphs[0]
    h.style = d.styles["Normal"]
    h.paragraph_format.space_after = Pt(0)
    h.paragraph_format.tab_stops.clear_all()
    h.paragraph_format.tab_stops.add_tab_stop(width, WD_TAB_ALIGNMENT.RIGHT)
    h.add_run().add_picture(io.BytesIO(mark()), height=Cm(1.0))
    h._p.xpath(".//wp:docPr")[0].set("descr", "Brackwater Quay")
    name = h.add_run("  BRACKWATER QUAY")
    name.bold, name.font.size, name.font.name, name.font.color.rgb = True, Pt(15), "Arial", RGBColor(0x1E, 0x3A, 0x5F)
    small = h.add_run("\tHarbour office, 1 Slipway Row")
    small.font.size = Pt(9)
    edge(h, "bottom")
    f = s.footer.paragraphs[0]
    f.style = d.styles["Normal"]
    f.paragraph_format.space_after = Pt(0)
    f.paragraph_format.tab_stops.clear_all()
    f.paragraph_format.tab_stops.add_tab_stop(width, WD_TAB_ALIGNMENT.RIGHT)
    f.add_run("Your reference [: ref]\tPage ").font.size = Pt(8.5)
    field(f, "PAGE", 8.5)
    f.add_run(" of ").font.size = Pt(8.5)
    field(f, "NUMPAGES", 8.5)
    for run in f.runs:
        run.font.size = Pt(8.5)

    def tight(text=None):
        p = d.add_paragraph(text or "")
        p.paragraph_format.space_after = Pt(0)
        return p

    # The word processor splits placeholders over runs; the first sign's look counts.
    p = tight()
    p.add_run("[: salu")
    p.add_run("tation] [: first ")
    p.add_run("name] [: last name]")
    tight("[: street][: suite before \", \"]")
    tight("[: postcode] [: town]")
    p = tight("[: today as date long]")
    p.alignment = WD_ALIGN_PARAGRAPH.RIGHT
    p.paragraph_format.space_before, p.paragraph_format.space_after = Pt(14), Pt(14)
    p = d.add_paragraph()
    p.add_run("Your berth [: berth], “[: boat name]”").bold = True
    d.add_paragraph("Dear [: salutation] [: last name],")
    if old:
        d.add_paragraph("A balance of [: balance] is open on your berth account.")
    else:
        d.add_paragraph("[:if days overdue > 90]")
        d.add_paragraph("Despite our letters, the balance of [: balance as money \"EUR\"] that fell due on [: due as date long] is still open after [: days overdue] days. "
                        "We must ask you to pay it within seven days; after that the berth can no longer be held for you.")
        d.add_paragraph("[:else if balance > 0]")
        p = d.add_paragraph("On ")
        p.add_run("[: due as date long]").bold = True
        p.add_run(" a balance of ")
        p.add_run("[: bal").bold = True
        p.add_run("ance as money \"EUR\"]")
        p.add_run(" fell due on your berth account.[:if days overdue > 0] It is now [: days overdue] days late, and we have not heard from you since our first reminder.[:end]")
        d.add_paragraph("[:else]")
        d.add_paragraph("Your berth account is settled. Thank you; this letter is for your files only.")
        d.add_paragraph("[:end]")
    t = d.add_table(rows=0, cols=2)
    t.autofit = False
    cell_borders(t)
    for left, right, bold in (("[:keep row if harbour due > 0]Harbour due 2026", "[: harbour due as money \"EUR\"]", False), ("[:keep row if paid > 0]Paid so far", "[: -paid as money \"EUR\"]", False),
                              ("[:keep row if deposit > 0 and days overdue > 60]Deposit held", "[: deposit as money \"EUR\"]", False), ("Open balance", "[: balance as money \"EUR\"]", True)):
        cells = t.add_row().cells
        for cell, text, w in ((cells[0], left, Cm(11)), (cells[1], right, Cm(5))):
            cell.width = w
            q = cell.paragraphs[0]
            q.paragraph_format.space_before = q.paragraph_format.space_after = Pt(3)
            run = q.add_run(text)
            run.bold = bold
            run.font.size = Pt(10.5)
            if bold:
                shade(cell, "F0EAF3")
        cells[1].paragraphs[0].alignment = WD_ALIGN_PARAGRAPH.RIGHT
    for column, w in zip(t.columns, (Cm(11), Cm(5))):
        column.width = w
    p = d.add_paragraph("Should there be a reason, please call us. We have [: mobile else home phone else \"no number\"] as your number.")
    p.paragraph_format.space_before = Pt(12)
    d.add_paragraph("[:keep para if liveaboard]You live aboard, so please speak to us before the month ends: the electricity agreement depends on your berth.")
    for text in ("Pay to Brackwater Quay, IBAN XX00 0000 0000 0000 0000 00.", "Give your reference [: ref] so that we find your payment."):
        q = d.add_paragraph(text, style="List Bullet")
        q.paragraph_format.space_after = Pt(2)
    p = d.add_paragraph("With kind regards,")
    p.paragraph_format.space_before = Pt(14)
    d.add_paragraph("The harbour office")
    out = io.BytesIO()
    d.save(out)
    pack(path, out.getvalue())


if __name__ == "__main__":
    season()
    prices()
    letter(HERE / "reminder.docx")
