"""Makes whole documents as other writers write them: python-docx with its own
template and styles, pandoc from Markdown, LibreOffice from HTML.

Run it where it stands: python3 others.py, with these three installed. The files are
kept beside it, so that tests need none of them.
"""

import subprocess
from pathlib import Path

import docx
from docx.enum.section import WD_ORIENT, WD_SECTION
from docx.enum.text import WD_ALIGN_PARAGRAPH
from docx.oxml import OxmlElement
from docx.oxml.ns import qn
from docx.shared import Cm, Pt
from make import prose

HERE = Path(__file__).parent


def season():
    d = docx.Document()
    d.add_heading("Plan of the season", 0)
    d.add_paragraph(prose(3, 2), style="Intense Quote")
    styles = [
        "Light Grid Accent 1",
        "Medium Shading 1 Accent 2",
        "Light List",
        "Medium List 2 Accent 3",
        "Colorful Grid Accent 4",
        "Light Shading Accent 5",
        "Dark List Accent 6",
        "Medium Grid 3",
        "Table Grid",
    ]
    for n, style in enumerate(styles, 1):
        d.add_heading(f"Week {n}", 1)
        para = d.add_paragraph(prose(n * 4, 2) + " ")
        para.add_run("To be kept in mind: ").bold = True
        para.add_run(prose(n * 5, 1)).italic = True
        d.add_heading("To do", 2)
        for k in range(3):
            d.add_paragraph(prose(n + k, 1), style="List Bullet" if n % 2 else "List Number")
        d.add_paragraph(prose(n + 7, 1), style="List Bullet 2" if n % 2 else "List Number 2")
        table = d.add_table(rows=1, cols=4, style=style)
        for cell, words in zip(table.rows[0].cells, ("Vessel", "Work", "Day", "Sum")):
            cell.text = words
        for r in range(1, 5):
            cells = table.add_row().cells
            for cell, words in zip(
                cells,
                (
                    f"Vessel {n}{r}",
                    prose(n + r, 1).split(";")[0].split(",")[0][:60].rstrip(),
                    ("Monday", "Tuesday", "Thursday", "Friday")[r - 1],
                    f"{n * r * 17}.50",
                ),
            ):
                cell.text = words
            cells[3].paragraphs[0].alignment = WD_ALIGN_PARAGRAPH.RIGHT
        d.add_paragraph()
        d.add_paragraph(prose(n * 6, 3)).alignment = WD_ALIGN_PARAGRAPH.JUSTIFY
        if n == 4:
            section = d.add_section(WD_SECTION.NEW_PAGE)
            section.orientation = WD_ORIENT.LANDSCAPE
            section.page_width, section.page_height = section.page_height, section.page_width
        if n == 6:
            section = d.add_section(WD_SECTION.NEW_PAGE)
            section.orientation = WD_ORIENT.PORTRAIT
            section.page_width, section.page_height = section.page_height, section.page_width
    footer = d.sections[0].footer.paragraphs[0]
    footer.text = "Brackwater Quay\tHarbour office\t2027"
    d.sections[0].header.paragraphs[0].text = "Plan of the season"
    d.save(HERE / "others-season.docx")


def guide():
    m = ["---", "title: A guide to the yard", "author: Maud Quayle", "date: 23 November 2026", "lang: en-GB", "---", ""]
    for n in range(1, 8):
        m += [
            f"# {('Arriving', 'The slip', 'The crane', 'The shed', 'Paint', 'Engines', 'Leaving')[n-1]}",
            "",
            prose(n * 3, 3),
            "",
            "## What to bring",
            "",
        ]
        m += [f"- {prose(n + k, 1)}" for k in range(3)] + ["    - a line of twenty metres", "    - fenders", ""]
        m += [
            prose(n * 4, 2) + ("[^n%d]" % n) + " *" + prose(n, 1) + "* **" + prose(n + 1, 1) + "**",
            "",
            f"[^n{n}]: {prose(n * 2, 1)}",
            "",
        ]
        m += ["1. " + prose(n * 2 + k, 1) for k in range(3)] + ["", "> " + prose(n + 9, 2), ""]
        m += (
            ["| Vessel | Counted | Rate |", "|:-------|:------:|------:|"]
            + [
                f"| {a}, with what it carries on deck and in tow | {b}, begun ones counted whole | {n * k * 13}.00 |"
                for k, (a, b) in enumerate((("Up to eight metres", "a day"), ("Up to twelve", "a day"), ("Beyond", "by the hour")), 1)
            ]
            + ["", f": Rates of part {n}", ""]
        )
        m += ["### In winter", "", prose(n * 7, 3), "", "Dock\n:   " + prose(n, 1), "", "Shed\n:   " + prose(n + 3, 1), ""]
    source = HERE / "guide.md"
    source.write_text("\n".join(m))
    subprocess.run(
        ["pandoc", "-o", HERE / "others-guide.docx", source], check=True, env={"SOURCE_DATE_EPOCH": "1795392000", "PATH": "/usr/bin:/bin"}
    )
    source.unlink()


def page(title, *rules):
    style = " ".join(rules)
    return [f"<!DOCTYPE html><html lang='en-GB'><head><meta charset='utf-8'><title>{title}</title><style>{style}</style></head><body>"]


def terms():
    h = page(
        "Terms of the yard",
        "body{font-family:'Liberation Serif';font-size:12pt}",
        "p{text-align:justify;margin:0 0 6pt 0}",
        "h1{font-family:'Liberation Sans'}",
        "h2{font-family:'Liberation Sans';font-size:13pt}",
        "td,th{border:0.5pt solid #444;padding:2pt 4pt}",
        "table{border-collapse:collapse}",
    )
    h.append("<h1>Terms of the yard</h1>")
    for n in range(1, 12):
        h.append(
            f"<h2>{n}. Of the {('slip','crane','shed','dock')[n%4]}</h2><p>{prose(n*5,3)}</p><p>{prose(n*9,2)} <b>{prose(n,1)}</b> <i>{prose(n+2,1)}</i></p>"
        )
        h.append("<ol type='a'>" + "".join(f"<li><p>{prose(n+k*2,1)}</p></li>" for k in range(3)) + "</ol>")
        if n % 3 == 0:
            h.append(
                "<table width='100%'><tr><th>Part</th><th>Due</th><th>Sum</th></tr>"
                + "".join(
                    f"<tr><td>{prose(n+k,1)[:50].rstrip()}</td><td>{k} March</td><td align='right'>{n*k*31}.00</td></tr>"
                    for k in range(1, 5)
                )
                + "</table><p></p>"
            )
        if n % 4 == 0:
            h.append("<ul>" + "".join(f"<li>{prose(n*3+k,1)}</li>" for k in range(3)) + "</ul>")
    h.append("</body></html>")
    through_office("terms", "".join(h))


def through_office(name, html):
    source = HERE / f"others-{name}.html"
    source.write_text(html)
    subprocess.run(
        ["soffice", "--headless", "--convert-to", "docx:Office Open XML Text", "--outdir", HERE, "--infilter=HTML (StarWriter)", source],
        check=True,
        stdout=subprocess.DEVNULL,
    )
    source.unlink()


SAETZE = (
    "Der Liegeplatz wird nur mit dem Schiff belegt, das dieser Vertrag nennt",
    "Leinen, Fender und Festmacherfedern stellt der Inhaber und erneuert sie, bevor sie durchscheuern",
    "wer länger als drei Nächte auslaufen will, meldet das dem Hafenbüro, das den Platz inzwischen an Gäste vergeben darf",
    "für Gegenstände, die auf den Stegen liegen bleiben, übernimmt die Hafengesellschaft keine Haftung",
    "der Landstrom wird ab dem ersten April gezählt; abgelesen wird, wenn das Schiff den Hafen verlässt",
    "bei Sturmwarnung darf die Werft jedes Schiff verholen und tut das mit der Sorgfalt eines guten Seemanns",
    "Schleif-, Strahl- und Spritzarbeiten sind nur auf der Abstellfläche hinter Planen erlaubt, zwischen acht und achtzehn Uhr",
    "Altöl, Filter und Seenotsignale gehören in den Schrank neben der Tankstelle",
    "der Kran hebt bis zu 18 t; die Gurte liegen, wo die Zeichnung des Erbauers sie zeigt",
    "eine Haftpflichtversicherung über mindestens 3.000.000,00 € wird durchgehend unterhalten und jedes Frühjahr nachgewiesen",
)


def german(number, sentences):
    out = []
    for at in range(sentences):
        first, second = SAETZE[(number * 3 + at * 7) % len(SAETZE)], SAETZE[(number + at * 3 + 4) % len(SAETZE)]
        out.append(first[0].upper() + first[1:] + ("; ", ", und ", ". Ebenso gilt: ")[(number + at) % 3] + second + ".")
    return " ".join(out)


def contract():
    d = docx.Document()
    d.settings.element.insert(0, OxmlElement("w:autoHyphenation"))
    normal = d.styles["Normal"]
    normal.font.name, normal.font.size = "Times New Roman", Pt(12)
    normal.paragraph_format.space_after = Pt(6)
    language = OxmlElement("w:lang")
    language.set(qn("w:val"), "de-DE")
    normal.element.get_or_add_rPr().append(language)
    section = d.sections[0]
    section.page_width, section.page_height = Cm(21), Cm(29.7)
    section.left_margin = section.right_margin = Cm(2.5)
    section.different_first_page_header_footer = True
    section.first_page_header.paragraphs[0].text = "Hafengesellschaft Brackwater Quay"
    section.header.paragraphs[0].text = "Liegeplatzvertrag"
    section.footer.paragraphs[0].alignment = WD_ALIGN_PARAGRAPH.CENTER
    for kind, text in (("begin", None), (None, "PAGE"), ("end", None)):
        run = section.footer.paragraphs[0].add_run()
        if kind:
            mark = OxmlElement("w:fldChar")
            mark.set(qn("w:fldCharType"), kind)
        else:
            mark = OxmlElement("w:instrText")
            mark.text = text
        run._r.append(mark)
    d.add_heading("Liegeplatzvertrag", 0)
    d.add_paragraph("zwischen der Hafengesellschaft Brackwater Quay und Jörg Brückner, Hafenstraße 12, 20457 Hamburg")
    for n in range(1, 15):
        d.add_heading(f"§ {n} {('Liegeplatz', 'Landstrom', 'Winterlager', 'Haftung', 'Kündigung')[n % 5]}", 2)
        for k in range(1, 3 + n % 2):
            para = d.add_paragraph(f"({k})\t" + german(n * 2 + k, 2))
            para.alignment = WD_ALIGN_PARAGRAPH.JUSTIFY
            para.paragraph_format.left_indent, para.paragraph_format.first_line_indent = Cm(1), Cm(-1)
        if n % 5 == 0:
            table = d.add_table(rows=1, cols=3, style="Table Grid")
            for cell, words in zip(table.rows[0].cells, ("Rate", "Fällig am", "Betrag")):
                cell.text = words
            for k in range(1, 4):
                for cell, words in zip(
                    table.add_row().cells, (f"{k}. Rate", f"1. {('März', 'Juli', 'Oktober')[k - 1]} 2027", f"{n * k * 80},00 €")
                ):
                    cell.text = words
            d.add_paragraph()
    for words in ("Hamburg, den 23. November 2026", "______________________\t______________________", "Hafenmeister\tInhaber"):
        para = d.add_paragraph(words)
        para.paragraph_format.tab_stops.add_tab_stop(Cm(8))
        para.paragraph_format.keep_with_next = True
    d.save(HERE / "others-contract.docx")


def minutes():
    h = page(
        "Minutes",
        "@page{size:21cm 29.7cm;margin:2.5cm}",
        "body{font-family:'Liberation Sans';font-size:10pt}",
        "p{margin:0 0 8pt 0}",
        "h1{font-size:18pt}",
        "h2{font-size:12pt}",
        "td,th{border:0.5pt solid #444;padding:3pt}",
        "table{border-collapse:collapse}",
        "li{margin:0 0 4pt 0}",
    )
    h.append("<h1>Minutes of the holders' meeting</h1><p>Held on 14 November 2026 in the sail loft.</p>")
    for n in range(1, 16):
        h.append(f"<h2>Item {n}: {('the slip','the crane','the shed','the dock')[n%4]}</h2><p>{prose(n*11,2)}</p>")
        h.append("<ul>" + "".join(f"<li>{prose(n*7+k*2,1)}</li>" for k in range(2 + n % 2)) + "</ul>")
        if n % 4 == 1:
            h.append(
                "<table width='100%'><tr><th>Motion</th><th>For</th><th>Against</th></tr>"
                + "".join(
                    f"<tr><td>{prose(n+k,1)[:60].rstrip()}</td><td align='right'>{k*31}</td><td align='right'>{k*3}</td></tr>"
                    for k in range(1, 4)
                )
                + "</table><p></p>"
            )
        h.append(f"<p><b>Agreed:</b> {prose(n*13,1)} <u>{prose(n+5,1)}</u></p>")
    h.append("</body></html>")
    through_office("minutes", "".join(h))


HOLDERS = (
    ("Femke Achterberg", "Havenstraat 12", "1411 AB Naarden"),
    ("Jörg Brückner", "Hafenstraße 12", "20457 Hamburg"),
    ("Maëlle Le Goff", "3 quai des Pêcheurs", "29900 Concarneau"),
    ("Oona Fairweather", "4 Slipway Lane", "Brackwater BQ1 1AA"),
    ("Tobias van der Hoeven-Brandstetter", "Werfkade 101", "8011 XX Zwolle"),
    ("Anna Brandt", "Am Deich 7", "26757 Borkum"),
    ("Ida Lindqvist", "Sjögatan 2", "451 44 Uddevalla"),
    ("William Hartley-Smythe", "The Old Chandlery, Quay Street", "Brackwater BQ1 2ZZ"),
    ("Ruth Amsel", "Lotsenweg 19", "18119 Warnemünde"),
    ("Pádraig Ó Conchúir", "Cé na nIascairí", "Co. Galway"),
)


def letters():
    """One letter a section, as a merge in a word processor writes them."""
    d = docx.Document()
    d.styles["Normal"].font.name, d.styles["Normal"].font.size = "Arial", Pt(10)
    for n, (name, street, town) in enumerate(HOLDERS):
        section = d.sections[-1] if n == 0 else d.add_section(WD_SECTION.NEW_PAGE)
        if n == 0:
            section.page_width, section.page_height = Cm(21), Cm(29.7)
            section.left_margin, section.right_margin, section.top_margin = Cm(2.5), Cm(2), Cm(4.5)
            section.header.paragraphs[0].text = "Brackwater Quay\t\tHarbour office"
            section.footer.paragraphs[0].text = "4 Slipway Lane\tBrackwater BQ1 1AA\tTelephone 01632 960118"
        restart = OxmlElement("w:pgNumType")
        restart.set(qn("w:start"), "1")
        section._sectPr.append(restart)
        for line in (name, street, town):
            d.add_paragraph(line, style="No Spacing")
        d.add_paragraph("23 November 2026").alignment = WD_ALIGN_PARAGRAPH.RIGHT
        d.add_paragraph().add_run(f"Your berth A{n + 1:02} for the season of 2027").bold = True
        d.add_paragraph(f"Dear {name},")
        d.add_paragraph(prose(n * 3 + 1, 2))
        table = d.add_table(rows=0, cols=3, style="Light Shading" if n % 2 else "Light List Accent 1")
        for line in (
            ("Item", "Counted", "Sum"),
            ("Berth", "1", f"{n * 120 + 480}.50"),
            ("Shore power", f"{n * 7 + 30} kWh", f"{n * 3 + 10}.50"),
            ("Deposit", "", "100.00"),
        )[: 3 + n % 2]:
            for at, (cell, words) in enumerate(zip(table.add_row().cells, line)):
                cell.text = words
                cell.paragraphs[0].alignment = WD_ALIGN_PARAGRAPH.RIGHT if at else WD_ALIGN_PARAGRAPH.LEFT
        d.add_paragraph()
        for k in range(2 + n % 2):
            d.add_paragraph(prose(n * 5 + k, 2 + k)).paragraph_format.line_spacing = 1.5 if n % 3 == 2 else 1.0
        if n % 4 == 3:
            d.add_paragraph("Please bring:").paragraph_format.keep_with_next = True
            for k in range(3):
                d.add_paragraph(prose(n + k * 4, 1), style="List Bullet")
        closing = d.add_paragraph("Kind regards,")
        closing.paragraph_format.space_before, closing.paragraph_format.space_after = Pt(12), Pt(36)
        d.add_paragraph("Maud Quayle")
        d.add_paragraph("Harbour office").runs[0].italic = True
    d.save(HERE / "others-letters.docx")


def prices():
    d = docx.Document()
    d.styles["Normal"].font.name, d.styles["Normal"].font.size = "Calibri", Pt(10)
    d.add_heading("Prices of the yard", 1)
    d.add_paragraph(prose(8, 1))
    table = d.add_table(rows=1, cols=4, style="Light Grid Accent 5")
    widths = (Cm(1.5), Cm(8.5), Cm(2.5), Cm(2.7))
    table.autofit = False
    mark = OxmlElement("w:tblHeader")
    table.rows[0]._tr.get_or_add_trPr().append(mark)
    for cell, words in zip(table.rows[0].cells, ("No", "Work", "Unit", "Price")):
        cell.text = words
    for group in range(1, 8):
        cells = table.add_row().cells
        joined = cells[0].merge(cells[3])
        joined.text = f"{group}. Work on the {('hull', 'deck', 'rig', 'engine')[group % 4]}"
        joined.paragraphs[0].paragraph_format.keep_with_next = True
        for n in range(1, 9):
            row = table.add_row()
            row._tr.get_or_add_trPr().append(OxmlElement("w:cantSplit"))
            for cell, words in zip(
                row.cells,
                (
                    f"{group}.{n}",
                    prose(group * 3 + n, 1)[: 40 + n * 12].rstrip(),
                    ("hour", "metre", "piece", "day")[n % 4],
                    f"{group * n * 13}.50",
                ),
            ):
                cell.text = words
            row.cells[3].paragraphs[0].alignment = WD_ALIGN_PARAGRAPH.RIGHT
    for row in table.rows:
        for cell, width in zip(row.cells, widths):
            if len(set(row.cells)) > 1:
                cell.width = width
    d.add_paragraph()
    d.add_paragraph(prose(5, 3))
    d.save(HERE / "others-prices.docx")


if __name__ == "__main__":
    for make in (season, guide, terms, contract, minutes, letters, prices):
        make()
