"""Makes the demo world's files. Run it only to change them:

    python3 -m venv .venv && .venv/bin/pip install python-docx openpyxl
    .venv/bin/python demo/make.py

Everything here is invented. Amounts, names and dates come from a fixed seed, so
that the files are the same every time. The demo's day is 23 November 2026.
"""

import base64
import csv
import datetime as dt
import io
import json
import math
import random
import struct
import zipfile
import zlib
from pathlib import Path

import docx
import openpyxl
from docx.enum.table import WD_ROW_HEIGHT_RULE
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
                cell.number_format = "[$€-1809]#,##0.00"
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


def document(title, size, after, side, edges):
    """An empty A4 document of the quay and its section: font size and space after a paragraph in
    points; margins in cm: the sides, and top, bottom, header, footer."""
    d = docx.Document()
    d.core_properties.author, d.core_properties.title = "Brackwater Quay", title
    d.core_properties.created = d.core_properties.modified = dt.datetime(2026, 11, 2, 9, 0)
    style = d.styles["Normal"]
    style.font.name, style.font.size = "Arial", Pt(size)
    style.paragraph_format.space_after = Pt(after)
    s = d.sections[0]
    s.page_width, s.page_height = Cm(21), Cm(29.7)
    s.left_margin = s.right_margin = Cm(side)
    s.top_margin, s.bottom_margin, s.header_distance, s.footer_distance = map(Cm, edges)
    return d, s


def letterhead(d, s, width, right):
    """The office's mark and name above each page; the page's number below, with what stands before it."""
    h = s.header.paragraphs[0]
    h.style = d.styles["Normal"]
    h.paragraph_format.space_after = Pt(0)
    h.paragraph_format.tab_stops.clear_all()
    h.paragraph_format.tab_stops.add_tab_stop(width, WD_TAB_ALIGNMENT.RIGHT)
    h.add_run().add_picture(io.BytesIO(mark()), height=Cm(1.0))
    h._p.xpath(".//wp:docPr")[0].set("descr", "Brackwater Quay")
    name = h.add_run("  BRACKWATER QUAY")
    name.bold, name.font.size, name.font.name, name.font.color.rgb = True, Pt(15), "Arial", RGBColor(0x1E, 0x3A, 0x5F)
    h.add_run("\t" + right).font.size = Pt(9)
    edge(h, "bottom")


def footer(d, s, width, left, size):
    f = s.footer.paragraphs[0]
    f.style = d.styles["Normal"]
    f.paragraph_format.space_after = Pt(0)
    f.paragraph_format.tab_stops.clear_all()
    f.paragraph_format.tab_stops.add_tab_stop(width, WD_TAB_ALIGNMENT.RIGHT)
    f.add_run(left + "\tPage ")
    field(f, "PAGE", size)
    f.add_run(" of ")
    field(f, "NUMPAGES", size)
    for run in f.runs:
        run.font.size = Pt(size)


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

    letterhead(d, s, width, "Harbour office, 1 Slipway Row")
    footer(d, s, width, "Your reference [: ref]", 8.5)

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
    p = d.add_paragraph("If you can't pay now, please call us. [:if mobile is not blank or home phone is not blank] The phone number we have for you is [: mobile else home phone].[:else] We don't have a phone number for you; please send us one.[:end]")
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


def passes(title, width, height, margin):
    """An empty document of that paper, in the look of passes; its section."""
    d = docx.Document()
    d.core_properties.author, d.core_properties.title = "Brackwater Quay", title
    d.core_properties.created = d.core_properties.modified = dt.datetime(2026, 11, 2, 9, 0)
    style = d.styles["Normal"]
    style.font.name, style.font.size = "Arial", Pt(10)
    style.paragraph_format.space_after = Pt(2)
    s = d.sections[0]
    s.page_width, s.page_height = Cm(width), Cm(height)
    s.left_margin = s.right_margin = s.top_margin = s.bottom_margin = Cm(margin)
    return d, s


def dock_pass(path):
    """A pass of A6 for the gate: whose it is, of which boat, and its bar code."""
    d, _ = passes("Dock pass", 14.8, 10.5, 1)
    p = d.add_paragraph()
    run = p.add_run("DOCK PASS 2026")
    run.bold, run.font.size = True, Pt(18)
    d.add_paragraph("[: office.name]")
    p = d.add_paragraph()
    p.paragraph_format.space_before = Pt(14)
    run = p.add_run("[: first name] [: last name]")
    run.bold, run.font.size = True, Pt(14)
    d.add_paragraph("“[: boat name]”, berth [: berth]")
    p = d.add_paragraph("[:barcode code128 of ref width 6cm height 1.4cm]")
    p.paragraph_format.space_before = Pt(18)
    d.add_paragraph("[: ref]")
    out = io.BytesIO()
    d.save(out)
    pack(path, out.getvalue())


def dock_passes(path):
    """Passes of all records in one document, eight to a page: two columns of four, each pass a framed
    cell of a fixed height with the holder, the boat and a QR code."""
    d, s = passes("Dock passes", 21, 29.7, 1.5)
    columns = s._sectPr.find(qn("w:cols"))
    columns.set(qn("w:num"), "2")
    columns.set(qn("w:space"), "567")
    d.add_paragraph("[:repeat for records sort by berth]")
    t = d.add_table(rows=1, cols=2)
    t.autofit = False
    cell_borders(t)
    row = t.rows[0]
    row.height, row.height_rule = Cm(6.2), WD_ROW_HEIGHT_RULE.EXACTLY
    row._tr.get_or_add_trPr().append(OxmlElement("w:cantSplit"))
    for cell, column, w in zip(row.cells, t.columns, (Cm(5.5), Cm(3))):
        cell.width = column.width = w
    left, right = row.cells
    p = left.paragraphs[0]
    p.paragraph_format.space_before = Pt(6)
    run = p.add_run("DOCK PASS 2026")
    run.bold, run.font.size, run.font.color.rgb = True, Pt(14), RGBColor(0x1E, 0x3A, 0x5F)
    left.add_paragraph("[: office.name]")
    p = left.add_paragraph()
    p.paragraph_format.space_before = Pt(14)
    run = p.add_run("[: first name] [: last name]")
    run.bold, run.font.size = True, Pt(12)
    left.add_paragraph("[:keep para if boat name is not blank]“[: boat name]”")
    p = left.add_paragraph()
    run = p.add_run("[: berth]")
    run.bold, run.font.size = True, Pt(20)
    p = right.paragraphs[0]
    p.paragraph_format.space_before, p.alignment = Pt(8), WD_ALIGN_PARAGRAPH.RIGHT
    p.add_run("[:barcode qr of ref size 2.4cm]")
    p = right.add_paragraph("[: ref]")
    p.alignment = WD_ALIGN_PARAGRAPH.RIGHT
    p = d.add_paragraph()
    p.paragraph_format.space_after = Pt(0)
    p.paragraph_format.line_spacing = Pt(4)
    d.add_paragraph("[:end]")
    out = io.BytesIO()
    d.save(out)
    pack(path, out.getvalue())


def png(w, h, rows):
    """A PNG of rows of RGB, each with its filter byte (ISO/IEC 15948)."""
    chunk = lambda kind, data: struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", struct.pack(">IIBBBBB", w, h, 8, 2, 0, 0, 0)) + chunk(b"IDAT", zlib.compress(bytes(rows), 9)) + chunk(b"IEND", b"")


def photograph(seed):
    """A small picture of a hull with a blemish, drawn here."""
    r = random.Random(seed)
    w, h = 120, 80
    hull, sea = (r.randint(120, 230), r.randint(120, 200), r.randint(110, 180)), (70, 110, 140)
    x0, y0, size = r.randint(30, 90), r.randint(24, 50), r.randint(5, 12)
    rows = bytearray()
    for y in range(h):
        rows.append(0)
        for x in range(w):
            spot = (x - x0) ** 2 + 2 * (y - y0) ** 2 < size * size
            shade = sea if y > 62 + (x // 17) % 2 else tuple(max(0, c - y // 2) for c in hull)
            rows += bytes((110, 60, 40) if spot else shade)
    return "data:image/png;base64," + base64.b64encode(png(w, h, rows)).decode()


def painted(path, w, h, colour):
    """Writes the picture of a function of place (0 to 1, from the left and the top) to colour."""
    rows = bytearray()
    for y in range(h):
        rows.append(0)
        for x in range(w):
            rows += bytes(colour(x / w, y / h))
    path.write_bytes(png(w, h, rows))


def signature(path, seed):
    """A name as written with a pen: loops that grow smaller, and a stroke below."""
    r = random.Random(seed)
    loops, lean, w, h = r.randint(5, 8), r.uniform(0.2, 0.5), 360, 120
    pen = []
    for i in range(900):
        t = i / 900
        x = 30 + 270 * t + 13 * math.cos(2 * math.pi * loops * t)
        y = 62 + (34 - 20 * t) * math.sin(2 * math.pi * loops * t + lean) * (0.6 + 0.4 * math.sin(9 * t + seed))
        pen.append((x - lean * (y - 60), y))
    pen += [(40 + 250 * i / 400, 98 - 8 * i / 400 + 2 * math.sin(i / 40)) for i in range(400)]
    ink = {}
    for px, py in pen:
        for x in range(int(px) - 2, int(px) + 4):
            for y in range(int(py) - 2, int(py) + 4):
                near = max(0.0, 1 - max(0.0, math.hypot(x - px, y - py) - 0.9) / 0.9)
                ink[x, y] = max(near, ink.get((x, y), 0))
    shade = lambda x, y: round(255 - 215 * ink.get((round(x * w), round(y * h)), 0))
    painted(path, w, h, lambda x, y: (shade(x, y),) * 2 + (min(255, shade(x, y) + 50),))


def on_slings(path, hull):
    """A boat on the slings of the crane, seen from the quay."""
    def colour(x, y):
        sky = (206 - round(30 * y), 218 - round(20 * y), 226)
        if y > 0.86:
            return (104, 122, 128) if (x * 40 + y * 90) % 3 > 0.4 else (126, 144, 150)
        if abs(x - 0.30) < 0.008 and y < 0.62 or abs(x - 0.70) < 0.008 and y < 0.62:
            return (222, 172, 52)
        edge = 0.62 - 0.5 * abs(x - 0.5) ** 2
        if 0.46 < y < edge + 0.10 and 0.14 + 0.3 * max(0, y - 0.5) < x < 0.86 - 0.9 * max(0, y - 0.5):
            return (238, 236, 230) if y < 0.50 else hull if y < 0.60 else (92, 48, 44)
        if abs(x - 0.5) < 0.05 and 0.6 < y < 0.78:
            return (70, 44, 42)
        if 0.34 < x < 0.62 and 0.39 < y <= 0.46:
            return (230, 228, 222) if not (0.38 < x < 0.58 and 0.405 < y < 0.435) else (58, 70, 84)
        if abs(x - 0.47) < 0.005 and y < 0.40:
            return (120, 112, 100)
        return sky
    painted(path, 480, 320, colour)


WORK = {
    "Hull": [("Pressure wash below the waterline", "m²", 9.75), ("Antifouling, two coats", "m²", 38.2), ("Osmosis treatment, local", "m²", 164), ("Polish topsides", "m", 42.5)],
    "Rigging": [("Step and unstep the mast", "pcs", 145), ("Replace the forestay", "pcs", 1248.5), ("Inspect standing rigging", "h", 68), ("New halyards", "pcs", 96.4)],
    "Engine": [("Winterise the engine", "pcs", 212), ("Replace the impeller", "pcs", 74.9), ("Align the shaft", "h", 82)],
    "Electrics": [("Replace service batteries", "pcs", 318), ("Fault finding", "h", 74), ("Renew the shore power inlet", "pcs", 129.5)],
}
STAGES = ["Enquiry", "Inspected", "Quoted", "Approved", "In the yard", "Handed over"]
DEFECTS = [("Crazing round the stanchion bases", "foredeck", "minor"), ("Play in the rudder bearing", "stern gear", "major"), ("Blisters below the waterline", "hull, port side", "major"),
           ("Chafed halyard", "mast", "minor"), ("Weeping keel bolt", "bilge", "major"), ("Corroded anode", "propeller shaft", "minor")]


def cases():
    """Refit cases as a CRM hands them over: owners, vessels, lines, findings with photographs."""
    r = random.Random(2026)
    people = [row for row in holders_again() if row["Boat name"]]
    found = []
    for n, who in enumerate(people[:24:2], 1):
        lines = []
        for section in sorted(r.sample(list(WORK), r.randint(1, 4))):
            for item, unit, price in r.sample(WORK[section], r.randint(1, len(WORK[section]))):
                qty = {"m²": round(r.uniform(4, 38), 1), "m": round(r.uniform(6, 16), 1), "h": r.randint(1, 14)}.get(unit, r.randint(1, 3))
                lines.append({"Section": section, "Item": item, "Qty": qty, "Unit": unit, "Price": price, "Optional": r.random() < 0.2})
        findings = [{"Title": title, "Place": place, "Severity": severity,
                     "Photographs": [{"File": photograph(n * 100 + k * 10 + i), "Caption": f"{title}, view {i}"} for i in range(1, r.randint(1, 3))]}
                    for k, (title, place, severity) in enumerate(r.sample(DEFECTS, r.randint(0, 3)))]
        found.append({
            "Case": f"RC-{n:04}", "Stage": r.choice(STAGES),
            "Owner": {"Salutation": who["Salutation"], "First name": who["First name"], "Last name": who["Last_Name"], "E-mail": who["E-mail"], "Language": who["Language"],
                      "Street": who["Street"], "Postcode": who["Postcode"], "Town": who["Town"]},
            "Vessel": {"Name": who["Boat name"], "Type": who["Type"], "LOA": who["LOA"]},
            "Responsible": r.choice(["Piet de Boer", "Idris Penhallow", "Yusuf Okonjo"]), "Valid until": str(TODAY + dt.timedelta(days=r.choice([14, 30, 42]))),
            "Discount": r.choice([0, 0, 0, 5, 10]), "Haul-out needed": any(l["Section"] == "Hull" for l in lines),
            "Note": r.choice([None, None, "Please ring before the crane is booked."]), "Lines": lines, "Findings": findings,
        })
    # One whose mailbox was closed: the practice mail server refuses its address.
    found[9]["Owner"]["E-mail"] = "sanne.bakker@closed.example"
    # One with nothing to do yet, as happens.
    found[7]["Lines"], found[7]["Note"] = [], "Waiting for the survey."
    (HERE / "refit-cases.json").write_text(json.dumps(found, ensure_ascii=False, indent=1), encoding="utf-8")


def holders_again():
    """The holders as the workbook has them."""
    book = openpyxl.load_workbook(HERE / "season.xlsx", read_only=True)
    rows = book["Holders"].iter_rows(values_only=True)
    heads = next(rows)
    return [dict(zip(heads, row)) for row in rows]


def quote(path):
    d, s = document("Refit quote [: case]", 10, 6, 2.2, (3.4, 2.2, 1.4, 1.0))
    width = Cm(16.6)
    letterhead(d, s, width, "Quote [: case]")
    footer(d, s, width, "[: responsible before \"Your contact: \"]", 8)

    def tight(text):
        p = d.add_paragraph(text)
        p.paragraph_format.space_after = Pt(0)
        return p

    def heading(text):
        p = d.add_paragraph()
        run = p.add_run(text)
        run.bold, run.font.size, run.font.color.rgb = True, Pt(12), RGBColor(0x1E, 0x3A, 0x5F)
        p.paragraph_format.space_before, p.paragraph_format.keep_with_next = Pt(12), True

    def rows(table, widths, cells, bold=False, fill=None):
        row = table.add_row()
        for at, (text, w) in enumerate(zip(cells, widths)):
            cell = row.cells[at]
            cell.width = w
            q = cell.paragraphs[0]
            q.paragraph_format.space_before = q.paragraph_format.space_after = Pt(2)
            run = q.add_run(text)
            run.bold = bold
            if at >= 2:
                q.alignment = WD_ALIGN_PARAGRAPH.RIGHT
            if fill:
                shade(cell, fill)
        return row

    tight("[: owner.salutation] [: owner.first name] [: owner.last name]")
    tight("[: owner.street]")
    tight("[: owner.postcode] [: owner.town]")
    p = d.add_paragraph("[: today as date long]")
    p.alignment = WD_ALIGN_PARAGRAPH.RIGHT
    p.paragraph_format.space_before, p.paragraph_format.space_after = Pt(10), Pt(10)
    p = d.add_paragraph()
    run = p.add_run("Refit of “[: vessel.name]”, [: vessel.LOA after \" m\"][: vessel.type before \", \"]")
    run.bold, run.font.size = True, Pt(14)
    d.add_paragraph("Dear [: owner.salutation after \" \"][: owner.last name else \"owner\"],")
    d.add_paragraph("[:if lines is blank]")
    d.add_paragraph("We have no work to quote for yet. [: note]")
    d.add_paragraph("[:else]")
    # Worked out once: the letter and the table print the same amounts.
    d.add_paragraph("[:set net = round(sum((lines where not optional).(qty * price)) * (1 - discount%); 2)][:set vat = round(net * 19%; 2)][:set total = net + vat]"
                    "Thank you for asking us. For the work below we quote [: total as money \"EUR\"] including VAT"
                    "[:if discount > 0], a discount of [: discount% as percent] taken off[:end]. The price holds until [: valid until as date long].[:if haul-out needed] The boat must be hauled out.[:end]")
    d.add_paragraph("[:keep para if note is not blank][: note]")
    heading("Work")
    t = d.add_table(rows=0, cols=5)
    t.autofit = False
    cell_borders(t)
    widths = (Cm(1.0), Cm(8.6), Cm(2.0), Cm(2.4), Cm(2.6))
    head = rows(t, widths, ("", "Item", "Quantity", "Price", "Amount"), True, "E9EEF4")
    repeat = OxmlElement("w:tblHeader")
    head._tr.get_or_add_trPr().append(repeat)
    rows(t, widths, ("", "[:repeat 2 rows for lines where not optional group by section][: section]", "", "", "[: sum(group.(qty * price)) as money \"EUR\"]"), True)
    rows(t, widths, ("[: turn.number]", "[:repeat row for group sort by price desc][: item]", "[: qty] [: unit]", "[: price as money \"EUR\"]", "[: qty * price as money \"EUR\"]"))
    rows(t, widths, ("", "[:keep row if discount > 0]Discount [: discount% as percent]", "", "", "[: -round(sum((lines where not optional).(qty * price)) * discount%; 2) as money \"EUR\"]"))
    rows(t, widths, ("", "Net", "", "", "[: net as money \"EUR\"]"), True)
    rows(t, widths, ("", "VAT 19 %", "", "", "[: vat as money \"EUR\"]"))
    rows(t, widths, ("", "Total", "", "", "[: total as money \"EUR\"]"), True, "E9EEF4")
    for column, w in zip(t.columns, widths):
        column.width = w
    d.add_paragraph("[:if count(lines where optional) > 0]")
    heading("On request")
    q = d.add_paragraph("[:repeat para for lines where optional][: item]: [: qty] [: unit], [: qty * price as money \"EUR\"]", style="List Bullet")
    q.paragraph_format.space_after = Pt(2)
    d.add_paragraph("[:end]")
    d.add_paragraph("[:end]")
    d.add_paragraph("[:if findings is not blank]")
    heading("What the inspection found")
    d.add_paragraph("[:repeat for findings sort by severity]")
    p = d.add_paragraph()
    p.add_run("[: turn.number]. [: title]").bold = True
    p.add_run(", [: place][:if severity = \"major\"] — to be put right before launching[:end]")
    p.paragraph_format.keep_with_next = True
    d.add_paragraph("[:repeat for photographs][:picture file height 2.4cm] [:else]No photograph was taken.[:end]")
    d.add_paragraph("[:end]")
    d.add_paragraph("[:end]")
    d.add_paragraph("[:if lines is not blank]")
    heading("Your order")
    d.add_paragraph("To order, sign here or pay the one-third deposit with the code.").paragraph_format.keep_with_next = True
    t = d.add_table(rows=1, cols=2)
    t.rows[0].cells[0].paragraphs[0].add_run("[:signer owner signature width 7cm height 1.6cm]")
    t.rows[0].cells[1].paragraphs[0].add_run("[:barcode payment of round((net + net * 19%) / 3; 2) with name = \"Brackwater Quay\"; iban = \"DE89370400440532013000\"; text = case size 2.6cm]")
    t.rows[0].cells[1].paragraphs[0].alignment = WD_ALIGN_PARAGRAPH.RIGHT
    d.add_paragraph("[:end]")
    out = io.BytesIO()
    d.save(out)
    pack(path, out.getvalue())


def survey(path):
    d, s = document("Survey report [: case id]", 10, 6, 2.2, (3.4, 2.2, 1.4, 1.0))
    letterhead(d, s, Cm(16.6), "Case [: case id]")
    footer(d, s, Cm(16.6), "Survey report", 8)

    def heading(text, size):
        p = d.add_paragraph()
        run = p.add_run(text)
        run.bold, run.font.size, run.font.color.rgb = True, Pt(size), RGBColor(0x1E, 0x3A, 0x5F)
        p.paragraph_format.space_before, p.paragraph_format.keep_with_next = Pt(10), True

    heading("Survey report [: case id]", 16)
    d.add_paragraph("“[: vessel.name]”, [: vessel.type], [: vessel.loa as number \"0.0\"] m over all")
    d.add_paragraph("For [: contact.salutation after \" \"][: contact.first name] [: contact.last name], valid until [: valid until as date long].")
    d.add_paragraph("Surveyed by [: responsible.name], [: responsible.email].")
    d.add_paragraph("[:if defects is blank]")
    d.add_paragraph("Nothing was found that needs work.")
    d.add_paragraph("[:else]")
    d.add_paragraph("[: count(defects)] [:if count(defects) = 1]defect was[:else]defects were[:end] found[:if count(defects where severity = \"major\") > 0], [: count(defects where severity = \"major\")] of them to be put right before launching[:end].")
    d.add_paragraph("[:repeat for defects]")
    heading("[: turn.number]. [: title], [: place]", 12)
    d.add_paragraph("Severity: [: severity]")
    table = d.add_table(rows=1, cols=2)
    cells = table.rows[0].cells
    cells[0].paragraphs[0].add_run("[:repeat row for photographs][:picture medium width 6cm]")
    cells[1].paragraphs[0].add_run("[: caption]")
    d.add_paragraph("[:end]")
    d.add_paragraph("[:end]")
    d.add_paragraph("[: note]")
    out = io.BytesIO()
    d.save(out)
    pack(path, out.getvalue())


def berths(path):
    """One document of all records: the berths by pontoon."""
    d, s = document("Berth list", 9, 4, 2, (3.2, 2.0, 1.4, 1.0))
    letterhead(d, s, Cm(17), "Harbour office, 1 Slipway Row")
    footer(d, s, Cm(17), "Berth list of [: today as date long]", 8)
    p = d.add_paragraph()
    run = p.add_run("Berth list")
    run.bold, run.font.size, run.font.color.rgb = True, Pt(16), RGBColor(0x1E, 0x3A, 0x5F)
    d.add_paragraph("[: count(records)] berths, [: count(records where liveaboard)] of them liveaboard; yearly fees of [: sum(records.yearly fee) as money \"EUR\"].")
    d.add_paragraph("[:repeat for records sort by berth group by pontoon]")
    p = d.add_paragraph()
    run = p.add_run("Pontoon [: pontoon]")
    run.bold, run.font.size = True, Pt(12)
    p.paragraph_format.space_before, p.paragraph_format.keep_with_next = Pt(10), True
    widths = (Cm(1.6), Cm(5.4), Cm(1.5), Cm(5.2), Cm(3.3))
    t = d.add_table(rows=0, cols=5)
    t.autofit = False
    cell_borders(t)

    def row(cells, bold=False, fill=None):
        added = t.add_row()
        for at, (text, w) in enumerate(zip(cells, widths)):
            cell = added.cells[at]
            cell.width = w
            q = cell.paragraphs[0]
            q.paragraph_format.space_before = q.paragraph_format.space_after = Pt(1)
            q.add_run(text).bold = bold
            if at in (2, 4):
                q.alignment = WD_ALIGN_PARAGRAPH.RIGHT
            if fill:
                shade(cell, fill)
        return added

    head = row(("Berth", "Boat", "LOA", "Holder", "Yearly fee"), True, "E9EEF4")
    head._tr.get_or_add_trPr().append(OxmlElement("w:tblHeader"))
    row(("[:repeat row for group][: berth]", "[: boat name]", "[: loa as number \"0.0\"]", "[: last name][: first name before \", \"]", "[: yearly fee]"))
    row(("", "[: count(group)] berths", "", "", "[: sum(group.yearly fee)]"), True)
    for column, w in zip(t.columns, widths):
        column.width = w
    d.add_paragraph("[:end]")
    out = io.BytesIO()
    d.save(out)
    pack(path, out.getvalue())

def agreement(path, title, lines, right="Harbour office, 1 Slipway Row", foot="[: ref]"):
    """A letter such as a part of the welcome pack: its title, and paragraphs; a tuple is a row of a table."""
    d, s = document(title, 10.5, 8, 2.5, (3.6, 2.4, 1.4, 1.1))
    letterhead(d, s, Cm(16), right)
    footer(d, s, Cm(16), foot, 8.5)
    heading = d.add_heading(title, 1)
    for run in heading.runs:
        run.font.name, run.font.size, run.font.color.rgb = "Arial", Pt(16), RGBColor(0x1E, 0x3A, 0x5F)
    table = None
    for line in lines:
        if isinstance(line, str):
            table = None
            d.add_paragraph(line)
            continue
        if table is None:
            table = d.add_table(rows=0, cols=2)
            table.autofit = False
            cell_borders(table)
        cells = table.add_row().cells
        for cell, text, w in zip(cells, line, (Cm(6), Cm(10))):
            cell.width = w
            q = cell.paragraphs[0]
            q.paragraph_format.space_before = q.paragraph_format.space_after = Pt(3)
            q.add_run(text)
    out = io.BytesIO()
    d.save(out)
    pack(path, out.getvalue())


def welcome():
    """The parts of the welcome pack."""
    agreement(HERE / "welcome-licence.docx", "Your berth licence in short", [
        "Dear [: salutation] [: last name],",
        "welcome to Brackwater Quay. This is what we have agreed; the licence itself is in our files and yours.",
        ("Berth", "[: berth]"),
        ("Boat", "“[: boat name]”, [: type], [: loa as number \"0.0\"] m"),
        ("[:keep row if since is not blank]Since", "[: since as date long]"),
        ("Yearly fee", "[: yearly fee as money \"EUR\"]"),
        ("[:keep row if deposit > 0]Deposit", "[: deposit as money \"EUR\"]"),
        "Please read the rules of the harbour, which follow, and keep them on board.",
        "The harbour office",
    ])
    agreement(HERE / "welcome-metered.docx", "Electricity by the meter", [
        "Your berth [: berth] has a socket of 16 A with a meter of its own. We read it on the last day of each month.",
        ("Price", "EUR 0.42 a kWh"),
        ("Largest load", "3.6 kW"),
        "Unplug the cable when you leave the berth for more than a night.",
    ])
    agreement(HERE / "welcome-flat.docx", "Electricity at a flat rate", [
        "Your berth [: berth] has a socket of 6 A without a meter.",
        ("Price", "EUR 14 a month, in the yearly fee"),
        ("Largest load", "1.3 kW"),
        "Heaters are not allowed at this socket.",
    ])
    agreement(HERE / "welcome-liveaboard.docx", "Living aboard", [
        "“[: boat name]” is registered with us as your home. In addition to the licence:",
        "The berth has water all the year. Waste goes to the station at the yard, never into the basin.",
        "Tell the harbour office when you are away for more than a week, and whom we can call.",
    ])


def licence(path):
    """The berth licence: holder and harbour master sign; the holder initials the page of rules."""
    d, s = document("Berth licence", 10.5, 8, 2.5, (3.6, 2.4, 1.4, 1.1))
    letterhead(d, s, Cm(16), "Harbour office, 1 Slipway Row")
    footer(d, s, Cm(16), "[: ref]", 8.5)

    def heading(text, level):
        for run in d.add_heading(text, level).runs:
            run.font.name, run.font.size, run.font.color.rgb = "Arial", Pt(16 if level == 1 else 12), RGBColor(0x1E, 0x3A, 0x5F)

    def rows(lines, widths):
        table = d.add_table(rows=0, cols=len(widths))
        table.autofit = False
        cell_borders(table)
        for line in lines:
            for cell, text, w in zip(table.add_row().cells, line, widths):
                cell.width = w
                q = cell.paragraphs[0]
                q.paragraph_format.space_before = q.paragraph_format.space_after = Pt(3)
                q.add_run(text)

    heading("Berth licence [: ref]", 1)
    d.add_paragraph("between Brackwater Quay, 1 Slipway Row, and [: first name] [: last name], the holder.")
    rows([
        ("Berth", "[: berth]"),
        ("Boat", "“[: boat name]”, [: type], [: loa as number \"0.0\"] m by [: beam as number \"0.0\"] m"),
        ("Period", "1 January to 31 December 2027"),
        ("Yearly fee", "[: yearly fee as money \"EUR\"]"),
        ("[:keep row if deposit > 0]Deposit", "[: deposit as money \"EUR\"]"),
    ], (Cm(5), Cm(11)))
    d.add_paragraph().paragraph_format.space_after = Pt(2)
    for text in [
        "1. The holder may moor the boat named above at the berth named above, and no other.",
        "2. The fee is due on 31 January. A berth whose fee is not paid by the end of March may be given to somebody else.",
        "3. The boat is insured against damage to others for at least EUR 3,000,000. The holder shows the certificate on request.",
        "4. The licence ends on the last day of the period. It is renewed if neither side ends it three months before.",
    ]:
        d.add_paragraph(text)
    d.add_paragraph("[:signer holder tick \"Newsletter\" optional] I would like to receive the harbour's newsletter.")
    d.add_paragraph("Signed by both sides:")
    rows([
        ("The holder", "The harbour master"),
        ("[:signer holder signature width 6cm]", "[:signer harbour master signature width 6cm]"),
        ("[:signer holder name]", "[:signer harbour master name]"),
        ("[:signer holder date]", "[:signer harbour master date]"),
    ], (Cm(8), Cm(8)))
    d.add_page_break()
    heading("Rules of the harbour", 1)
    for text in [
        "Speed within the harbour is at most 3 knots.",
        "Between 22:00 and 07:00 engines and generators stay off, but for arriving and leaving.",
        "Nothing goes into the basin: waste, oil and grey water go to the station at the yard.",
        "Lines, fenders and the cable to shore are the holder's, and in good order.",
        "Work on the hull below the waterline is done at the yard, never at the berth.",
        "Guests may stay aboard for seven nights in a month. Tell the harbour office who they are.",
    ]:
        d.add_paragraph(text, style="List Number")
    d.add_paragraph("Person to call in an emergency: [:signer holder text \"Emergency contact\" width 8cm]")
    d.add_paragraph("I have read these rules: [:signer holder initials]")
    out = io.BytesIO()
    d.save(out)
    pack(path, out.getvalue())


def starters(folder):
    """What the ready-made set-ups have besides the demo's own documents: an agreement on a form's
    answer, an invoice with a payment code, and small sheets to begin with."""
    agreement(folder / "crane-agreement.docx", "Agreement on a crane lift", [
        "Between Brackwater Quay and [: name], berth [: berth].",
        ("Signed on", "[: answered as date long]"),
        ("On board during the lift", "[: aboard else \"no\"]"),
        "[:if aboard]Nobody stays below deck, and life jackets are worn. [:end]The guest does this at their own risk and has read the rules of the quay.",
        ("Signature", "[:picture signature height 1.6cm]"),
        "Please bring this page to the crane driver.",
    ], foot="[: name]")
    agreement(folder / "mooring-invoice.docx", "Invoice [: number]", [
        "[: name]",
        ("Date", "[: date as date long]"),
        ("[:repeat row for lines][: item]", "[: quantity] × [: price as money \"EUR\"] = [: quantity * price as money \"EUR\"]"),
        ("[:set net = round(sum(lines.(quantity * price)); 2)][:set vat = round(net * 19%; 2)]Net", "[: net as money \"EUR\"]"),
        ("VAT 19 %", "[: vat as money \"EUR\"]"),
        ("Total", "[: net + vat as money \"EUR\"]"),
        "Please pay by [: due as date long], by transfer or with the code:",
        "[:barcode payment of net + vat with name = \"Brackwater Quay\"; iban = \"DE89370400440532013000\"; text = number size 2.6cm]",
    ], foot="[: number]")
    dock_passes(folder / "dock-passes.docx")
    people = [("Maren Thorsby", "maren.thorsby@harbourmail.example", "C14"), ("Joost de Vlieger", "joost.devlieger@harbourmail.example", "A03"),
              ("Amélie Roux", "amelie.roux@harbourmail.example", "B21"), ("Hannes Brandt", "hannes.brandt@harbourmail.example", "D07")]
    invoices = []
    for at, (name, email, berth) in enumerate(people):
        lines = [{"Item": f"Mooring, berth {berth}", "Quantity": 1, "Price": 310 + 45.5 * at}, {"Item": "Electricity, kWh", "Quantity": 38 + 11 * at, "Price": 0.42}]
        if at % 2:
            lines.append({"Item": "Crane lift", "Quantity": 1, "Price": 180})
        invoices.append({"Number": f"INV-2026-{101 + at}", "Name": name, "E-mail": email, "Date": "2026-12-01", "Due": "2026-12-15", "Lines": lines})
    (folder / "invoices.json").write_text(json.dumps(invoices, ensure_ascii=False, indent=1), encoding="utf-8")
    surveys = []
    for at, (title, place, severity) in enumerate([("Corroded anode", "propeller shaft", "major"), ("Crazed gelcoat", "port quarter", "minor"), ("Worn rigging screw", "forestay", "major")]):
        name, email, _ = people[at]
        first, last = name.split(" ", 1)
        photographs = [{"Medium": photograph(40 + at), "Caption": f"{title}, seen from the quay"}]
        surveys.append({"Case ID": f"RC-{201 + at:04}", "Valid until": "2027-01-15", "Note": "", "Vessel": {"Name": ["Bluebottle", "Zeeleeuw", "Mistral"][at], "Type": "sail", "LOA": 9.8 + at},
                        "Contact": {"Salutation": "", "First name": first, "Last name": last, "Email": email}, "Responsible": {"Name": "Idris Penhallow", "Email": "idris@brackwater-quay.example"},
                        "Defects": [{"Position": 1, "Title": title, "Place": place, "Severity": severity, "Photographs": photographs}]})
    (folder / "surveys.json").write_text(json.dumps(surveys, ensure_ascii=False, indent=1), encoding="utf-8")


def rules(path):
    """The harbour's rules as a fixed PDF, printed by a browser: headings, a list, a table, tags."""
    html = HERE / "harbour-rules.html"
    import subprocess
    subprocess.run(["chromium", "--headless", "--no-sandbox", "--disable-gpu", "--no-pdf-header-footer", "--generate-pdf-document-outline", f"--print-to-pdf={path}", html.as_uri()], check=True)


if __name__ == "__main__":
    season()
    prices()
    letter(HERE / "reminder.docx")
    licence(HERE / "berth-licence.docx")
    cases()
    for n in (1, 2, 3):
        signature(HERE / "history" / f"signature-{n}.png", n)
    on_slings(HERE / "history" / "boat-blue.png", (46, 74, 118))
    on_slings(HERE / "history" / "boat-green.png", (58, 104, 84))
    quote(HERE / "refit-quote.docx")
    survey(HERE / "survey-report.docx")
    berths(HERE / "berth-list.docx")
    dock_pass(HERE / "dock-pass.docx")
    welcome()
    starters(HERE / "starters")
    rules(HERE / "harbour-rules.pdf")
