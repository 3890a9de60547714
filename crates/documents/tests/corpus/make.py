"""Makes the corpus: small DOCX files, one feature each, and some whole documents.

Run it where it stands: python3 make.py. It needs nothing but Python; pictures come
from zlib. The files are kept beside it, so that tests need no Python. Documents as
other writers write them come from others.py.
"""

import struct
import zipfile
import zlib
from pathlib import Path

HERE = Path(__file__).parent
NS = " ".join(
    f'xmlns:{prefix}="{uri}"'
    for prefix, uri in {
        "w": "http://schemas.openxmlformats.org/wordprocessingml/2006/main",
        "r": "http://schemas.openxmlformats.org/officeDocument/2006/relationships",
        "wp": "http://schemas.openxmlformats.org/drawingml/2006/wordprocessingDrawing",
        "a": "http://schemas.openxmlformats.org/drawingml/2006/main",
        "pic": "http://schemas.openxmlformats.org/drawingml/2006/picture",
        "wps": "http://schemas.microsoft.com/office/word/2010/wordprocessingShape",
        "mc": "http://schemas.openxmlformats.org/markup-compatibility/2006",
        "v": "urn:schemas-microsoft-com:vml",
        "o": "urn:schemas-microsoft-com:office:office",
        "c": "http://schemas.openxmlformats.org/drawingml/2006/chart",
    }.items()
)
WORD = "application/vnd.openxmlformats-officedocument.wordprocessingml"
REL = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"

A4 = '<w:pgSz w:w="11906" w:h="16838"/><w:pgMar w:top="1417" w:right="1417" w:bottom="1134" w:left="1417" w:header="708" w:footer="708" w:gutter="0"/>'

STYLES = f"""<w:styles {NS}>
<w:docDefaults><w:rPrDefault><w:rPr><w:rFonts w:ascii="Calibri" w:hAnsi="Calibri" w:cs="Arial"/><w:sz w:val="22"/><w:szCs w:val="22"/><w:lang w:val="en-GB" w:bidi="he-IL"/></w:rPr></w:rPrDefault>
<w:pPrDefault><w:pPr><w:spacing w:after="160" w:line="259" w:lineRule="auto"/></w:pPr></w:pPrDefault></w:docDefaults>
<w:style w:type="paragraph" w:default="1" w:styleId="Normal"><w:name w:val="Normal"/></w:style>
<w:style w:type="character" w:default="1" w:styleId="DefaultParagraphFont"><w:name w:val="Default Paragraph Font"/></w:style>
<w:style w:type="table" w:default="1" w:styleId="TableNormal"><w:name w:val="Normal Table"/><w:tblPr><w:tblInd w:w="0" w:type="dxa"/><w:tblCellMar><w:top w:w="0" w:type="dxa"/><w:left w:w="108" w:type="dxa"/><w:bottom w:w="0" w:type="dxa"/><w:right w:w="108" w:type="dxa"/></w:tblCellMar></w:tblPr></w:style>
<w:style w:type="paragraph" w:styleId="Heading1"><w:name w:val="heading 1"/><w:basedOn w:val="Normal"/><w:next w:val="Normal"/><w:pPr><w:keepNext/><w:keepLines/><w:spacing w:before="240" w:after="0"/><w:outlineLvl w:val="0"/></w:pPr><w:rPr><w:b/><w:color w:val="5B3A6B"/><w:sz w:val="32"/></w:rPr></w:style>
<w:style w:type="paragraph" w:styleId="Heading2"><w:name w:val="heading 2"/><w:basedOn w:val="Heading1"/><w:pPr><w:spacing w:before="40"/><w:outlineLvl w:val="1"/></w:pPr><w:rPr><w:b w:val="0"/><w:sz w:val="26"/></w:rPr></w:style>
<w:style w:type="paragraph" w:styleId="Title"><w:name w:val="Title"/><w:basedOn w:val="Normal"/><w:pPr><w:contextualSpacing/><w:spacing w:after="0" w:line="240" w:lineRule="auto"/></w:pPr><w:rPr><w:sz w:val="56"/></w:rPr></w:style>
<w:style w:type="paragraph" w:styleId="ListParagraph"><w:name w:val="List Paragraph"/><w:basedOn w:val="Normal"/><w:pPr><w:ind w:left="720"/><w:contextualSpacing/></w:pPr></w:style>
<w:style w:type="paragraph" w:styleId="Plain"><w:name w:val="No Spacing"/><w:pPr><w:spacing w:after="0" w:line="240" w:lineRule="auto"/></w:pPr></w:style>
<w:style w:type="paragraph" w:styleId="Serif"><w:name w:val="Serif text"/><w:basedOn w:val="Plain"/><w:rPr><w:rFonts w:ascii="Times New Roman" w:hAnsi="Times New Roman"/><w:sz w:val="24"/></w:rPr></w:style>
<w:style w:type="paragraph" w:styleId="Header"><w:name w:val="header"/><w:basedOn w:val="Plain"/><w:pPr><w:tabs><w:tab w:val="center" w:pos="4536"/><w:tab w:val="right" w:pos="9072"/></w:tabs></w:pPr></w:style>
<w:style w:type="paragraph" w:styleId="Toc1"><w:name w:val="toc 1"/><w:basedOn w:val="Normal"/><w:pPr><w:spacing w:after="100"/></w:pPr></w:style>
<w:style w:type="paragraph" w:styleId="Toc2"><w:name w:val="toc 2"/><w:basedOn w:val="Normal"/><w:pPr><w:spacing w:after="100"/><w:ind w:left="220"/></w:pPr></w:style>
<w:style w:type="paragraph" w:styleId="FootnoteText"><w:name w:val="footnote text"/><w:basedOn w:val="Plain"/><w:rPr><w:sz w:val="20"/></w:rPr></w:style>
<w:style w:type="character" w:styleId="FootnoteReference"><w:name w:val="footnote reference"/><w:rPr><w:vertAlign w:val="superscript"/></w:rPr></w:style>
<w:style w:type="character" w:styleId="Strong"><w:name w:val="Strong"/><w:rPr><w:b/></w:rPr></w:style>
<w:style w:type="character" w:styleId="Hyperlink"><w:name w:val="Hyperlink"/><w:rPr><w:color w:val="0563C1"/><w:u w:val="single"/></w:rPr></w:style>
<w:style w:type="table" w:styleId="TableGrid"><w:name w:val="Table Grid"/><w:basedOn w:val="TableNormal"/><w:pPr><w:spacing w:after="0" w:line="240" w:lineRule="auto"/></w:pPr><w:tblPr><w:tblBorders>{"".join(f'<w:{s} w:val="single" w:sz="4" w:space="0" w:color="auto"/>' for s in ("top", "left", "bottom", "right", "insideH", "insideV"))}</w:tblBorders></w:tblPr></w:style>
<w:style w:type="table" w:styleId="Banded"><w:name w:val="Banded table"/><w:basedOn w:val="TableNormal"/><w:pPr><w:spacing w:after="0" w:line="240" w:lineRule="auto"/></w:pPr><w:tblPr><w:tblStyleRowBandSize w:val="1"/><w:tblBorders><w:top w:val="single" w:sz="8" w:space="0" w:color="5B3A6B"/><w:bottom w:val="single" w:sz="8" w:space="0" w:color="5B3A6B"/></w:tblBorders></w:tblPr>
<w:tblStylePr w:type="firstRow"><w:rPr><w:b/><w:color w:val="FFFFFF"/></w:rPr><w:tcPr><w:shd w:val="clear" w:color="auto" w:fill="5B3A6B"/></w:tcPr></w:tblStylePr>
<w:tblStylePr w:type="lastRow"><w:rPr><w:b/></w:rPr><w:tcPr><w:tcBorders><w:top w:val="double" w:sz="6" w:space="0" w:color="5B3A6B"/></w:tcBorders></w:tcPr></w:tblStylePr>
<w:tblStylePr w:type="firstCol"><w:rPr><w:b/></w:rPr></w:tblStylePr>
<w:tblStylePr w:type="band1Horz"><w:tcPr><w:shd w:val="clear" w:color="auto" w:fill="EFE8F2"/></w:tcPr></w:tblStylePr></w:style>
</w:styles>"""

TEXT = (
    "The harbour office keeps a list of every berth and of whoever lies in it. In autumn it writes to all holders, "
    "asks them to look at the dates, and tells them what the season will cost; whoever answers by the end of the month "
    "keeps the berth, and the others are asked once more before the berth is offered to the next on the list. "
)
LONG = TEXT + (
    "Boats that stay over the winter are lifted between the second week of October and the first of November, as the "
    "tide and the crane allow. Masts are taken down on the same day. Owners who want to work on their boats say so "
    "beforehand, because the yard closes at five and the power at the posts is metered from then on. "
)


class Doc:
    """A DOCX of a body and what hangs on it."""

    def __init__(self, settings="", page=A4):
        self.body, self.settings, self.page = [], settings, page
        self.parts, self.relations, self.kinds = {}, [], {"png": "image/png"}
        self.notes, self.numbering, self.tail = {"footnote": [], "endnote": []}, None, ""

    def add(self, *xml):
        self.body.extend(xml)
        return self

    def relation(self, kind, target, external=False):
        number = f"rId{len(self.relations) + 10}"
        mode = ' TargetMode="External"' if external else ""
        self.relations.append(f'<Relationship Id="{number}" Type="{REL}/{kind}" Target="{target}"{mode}/>')
        return number

    def part(self, name, kind, xml):
        self.parts[f"word/{name}"] = (f"{WORD}.{kind}+xml", xml)
        return self.relation(kind, name)

    def edge(self, kind, content, of="default"):
        tag = "hdr" if kind == "header" else "ftr"
        name = f"{kind}{len(self.parts)}.xml"
        number = self.part(name, kind, f"<w:{tag} {NS}>{content}</w:{tag}>")
        return f'<w:{kind}Reference w:type="{of}" r:id="{number}"/>'

    def picture(self, name, width, height):
        self.parts[f"word/media/{name}"] = (None, png(width, height))
        return self.relation("image", f"media/{name}")

    def note(self, content, kind="footnote"):
        self.notes[kind].append(content)
        style = '<w:rPr><w:rStyle w:val="FootnoteReference"/></w:rPr>'
        return f'<w:r>{style}<w:{kind}Reference w:id="{len(self.notes[kind]) + 1}"/></w:r>'

    def section(self, inner=""):
        return f"<w:sectPr>{inner}{self.page}</w:sectPr>"

    def save(self, name):
        for kind, notes in self.notes.items():
            if not notes:
                continue
            mark = f'<w:r><w:rPr><w:rStyle w:val="FootnoteReference"/></w:rPr><w:{kind}Ref/></w:r>'
            xml = f'<w:{kind}s {NS}><w:{kind} w:type="separator" w:id="0"><w:p><w:pPr><w:spacing w:after="0" w:line="240" w:lineRule="auto"/></w:pPr><w:r><w:separator/></w:r></w:p></w:{kind}>'
            xml += f'<w:{kind} w:type="continuationSeparator" w:id="1"><w:p><w:r><w:continuationSeparator/></w:r></w:p></w:{kind}>'
            for at, content in enumerate(notes):
                xml += f'<w:{kind} w:id="{at + 2}"><w:p><w:pPr><w:pStyle w:val="FootnoteText"/></w:pPr>{mark}{t(" " + content)}</w:p></w:{kind}>'
            self.part(f"{kind}s.xml", f"{kind}s", xml + f"</w:{kind}s>")
        if self.numbering:
            self.part("numbering.xml", "numbering", f"<w:numbering {NS}>{self.numbering}</w:numbering>")
        self.part("styles.xml", "styles", STYLES)
        compat = '<w:compat><w:compatSetting w:name="compatibilityMode" w:uri="http://schemas.microsoft.com/office/word" w:val="15"/></w:compat>'
        self.part("settings.xml", "settings", f'<w:settings {NS}>{self.settings}<w:defaultTabStop w:val="708"/>{compat}</w:settings>')
        body = "".join(self.body)
        if not body.rstrip().endswith("</w:sectPr>") or body.rstrip().endswith("</w:sectPr></w:pPr></w:p>"):
            body += self.tail or self.section()
        parts = {"word/document.xml": (f"{WORD}.document.main+xml", f"<w:document {NS}><w:body>{body}</w:body></w:document>"), **self.parts}
        overrides = "".join(f'<Override PartName="/{name}" ContentType="{kind}"/>' for name, (kind, _) in parts.items() if kind)
        defaults = "".join(f'<Default Extension="{e}" ContentType="{k}"/>' for e, k in self.kinds.items())
        head = '<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n'
        rels = 'xmlns="http://schemas.openxmlformats.org/package/2006/relationships"'
        files = {
            "[Content_Types].xml": f'{head}<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="xml" ContentType="application/xml"/>{defaults}{overrides}</Types>',
            "_rels/.rels": f'{head}<Relationships {rels}><Relationship Id="rId1" Type="{REL}/officeDocument" Target="word/document.xml"/></Relationships>',
            "word/_rels/document.xml.rels": f'{head}<Relationships {rels}>{"".join(self.relations)}</Relationships>',
        }
        for part, (kind, content) in parts.items():
            files[part] = content if isinstance(content, bytes) else head + content
            inner = part.rsplit("/", 1)[-1]
            if inner.startswith(("header", "footer")):
                pictures = "".join(r for r in self.relations if "/image" in r)
                files[f"word/_rels/{inner}.rels"] = f"{head}<Relationships {rels}>{pictures}</Relationships>"
        with zipfile.ZipFile(HERE / f"{name}.docx", "w", zipfile.ZIP_DEFLATED) as out:
            for part, content in files.items():
                info = zipfile.ZipInfo(part, (2026, 11, 23, 0, 0, 0))
                info.compress_type = zipfile.ZIP_DEFLATED
                out.writestr(info, content)


def png(width, height):
    """A picture with a gradient, a frame and a diagonal: what is where can be seen."""
    rows = b""
    for y in range(height):
        row = bytearray(b"\0")
        for x in range(width):
            edge = x < 3 or y < 3 or x >= width - 3 or y >= height - 3
            line = abs(x * height - y * width) < 2 * max(width, height)
            row += bytes((0x5B, 0x3A, 0x6B) if edge else (0xA8, 0x40, 0x2C) if line else (255 * x // width, 200, 255 * y // height))
        rows += bytes(row)
    chunk = lambda kind, data: struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)) + chunk(b"IDAT", zlib.compress(rows, 9)) + chunk(b"IEND", b"")


def t(text, look=""):
    parts, out = text.split("\t"), []
    look = f"<w:rPr>{look}</w:rPr>" if look else ""
    for at, part in enumerate(parts):
        if at:
            out.append(f"<w:r>{look}<w:tab/></w:r>")
        if part:
            part = part.replace("&", "&amp;").replace("<", "&lt;")
            out.append(f'<w:r>{look}<w:t xml:space="preserve">{part}</w:t></w:r>')
    return "".join(out)


def p(content="", props="", style=None):
    style = f'<w:pStyle w:val="{style}"/>' if style else ""
    inner = content if content.startswith("<") else t(content)
    return f"<w:p><w:pPr>{style}{props}</w:pPr>{inner}</w:p>"


def field(instruction, shown, look=""):
    look = f"<w:rPr>{look}</w:rPr>" if look else ""
    char = lambda kind: f'<w:r>{look}<w:fldChar w:fldCharType="{kind}"/></w:r>'
    return f'{char("begin")}<w:r>{look}<w:instrText xml:space="preserve"> {instruction} </w:instrText></w:r>{char("separate")}{t(shown)}{char("end")}'


def cell(content, width=None, props=""):
    width = f'<w:tcW w:w="{width}" w:type="dxa"/>' if width else '<w:tcW w:w="0" w:type="auto"/>'
    return f'<w:tc><w:tcPr>{width}{props}</w:tcPr>{content if content.startswith("<") else p(content)}</w:tc>'


def row(*cells, props=""):
    return f'<w:tr>{f"<w:trPr>{props}</w:trPr>" if props else ""}{"".join(cells)}</w:tr>'


def table(widths, *rows, style="TableGrid", props="", look="04A0"):
    grid = "".join(f'<w:gridCol w:w="{w}"/>' for w in widths)
    if "tblW" not in props:
        props = '<w:tblW w:w="0" w:type="auto"/>' + props
    return f'<w:tbl><w:tblPr><w:tblStyle w:val="{style}"/>{props}<w:tblLook w:val="{look}"/></w:tblPr><w:tblGrid>{grid}</w:tblGrid>{"".join(rows)}</w:tbl>'


def pic(number, rel, cx, cy, crop="", rot="", words="A picture of the quay"):
    cx, cy = int(cx * 12700), int(cy * 12700)
    return f'<a:graphic><a:graphicData uri="http://schemas.openxmlformats.org/drawingml/2006/picture"><pic:pic><pic:nvPicPr><pic:cNvPr id="{number}" name="p{number}" descr="{words}"/><pic:cNvPicPr/></pic:nvPicPr><pic:blipFill><a:blip r:embed="{rel}"/>{crop}<a:stretch><a:fillRect/></a:stretch></pic:blipFill><pic:spPr><a:xfrm{rot}><a:off x="0" y="0"/><a:ext cx="{cx}" cy="{cy}"/></a:xfrm><a:prstGeom prst="rect"><a:avLst/></a:prstGeom></pic:spPr></pic:pic></a:graphicData></a:graphic>'


def inline(number, cx, cy, graphic, words="A picture of the quay"):
    return f'<w:r><w:drawing><wp:inline distT="0" distB="0" distL="0" distR="0"><wp:extent cx="{int(cx * 12700)}" cy="{int(cy * 12700)}"/><wp:docPr id="{number}" name="d{number}" descr="{words}"/>{graphic}</wp:inline></w:drawing></w:r>'


def anchor(number, cx, cy, graphic, x, y, wrap="<wp:wrapNone/>", behind=0, far=9):
    far = far * 12700
    return f'<w:r><w:drawing><wp:anchor distT="0" distB="0" distL="{far}" distR="{far}" simplePos="0" relativeHeight="{number}" behindDoc="{behind}" locked="0" layoutInCell="1" allowOverlap="1"><wp:simplePos x="0" y="0"/>{x}{y}<wp:extent cx="{int(cx * 12700)}" cy="{int(cy * 12700)}"/><wp:effectExtent l="0" t="0" r="0" b="0"/>{wrap}<wp:docPr id="{number}" name="d{number}" descr="A picture of the quay"/><wp:cNvGraphicFramePr/>{graphic}</wp:anchor></w:drawing></w:r>'


def at(axis, origin, offset=None, align=None):
    inner = f"<wp:align>{align}</wp:align>" if align else f"<wp:posOffset>{int(offset * 12700)}</wp:posOffset>"
    return f'<wp:position{axis} relativeFrom="{origin}">{inner}</wp:position{axis}>'


def shape(cx, cy, form="rect", fill="EFE8F2", line="5B3A6B", text=None, anchor_at="t", body=""):
    cx, cy = int(cx * 12700), int(cy * 12700)
    paint = f'<a:solidFill><a:srgbClr val="{fill}"/></a:solidFill>' if fill else "<a:noFill/>"
    ink = f'<a:ln w="12700"><a:solidFill><a:srgbClr val="{line}"/></a:solidFill></a:ln>' if line else "<a:ln><a:noFill/></a:ln>"
    words = f"<wps:txbx><w:txbxContent>{text}</w:txbxContent></wps:txbx>" if text else ""
    return f'<a:graphic><a:graphicData uri="http://schemas.microsoft.com/office/word/2010/wordprocessingShape"><wps:wsp><wps:cNvSpPr/><wps:spPr><a:xfrm><a:off x="0" y="0"/><a:ext cx="{cx}" cy="{cy}"/></a:xfrm><a:prstGeom prst="{form}"><a:avLst/></a:prstGeom>{paint}{ink}</wps:spPr>{words}<wps:bodyPr lIns="91440" tIns="45720" rIns="91440" bIns="45720" anchor="{anchor_at}">{body}</wps:bodyPr></wps:wsp></a:graphicData></a:graphic>'


def levels(*all_levels):
    out = ""
    for number, (fmt, text, left, hanging, more) in enumerate(all_levels):
        out += f'<w:lvl w:ilvl="{number}"><w:start w:val="1"/><w:numFmt w:val="{fmt}"/>{more}<w:lvlText w:val="{text}"/><w:lvlJc w:val="left"/><w:pPr><w:ind w:left="{left}" w:hanging="{hanging}"/></w:pPr></w:lvl>'
    return out


def item(text, list_id, level=0, style="ListParagraph"):
    return p(text, f'<w:numPr><w:ilvl w:val="{level}"/><w:numId w:val="{list_id}"/></w:numPr>', style)


# Text ------------------------------------------------------------------------


def text():
    Doc().add(
        p("Plain text of the default style. " + TEXT),
        p(t("Bold, ", "<w:b/>") + t("italic, ", "<w:i/>") + t("both ", "<w:b/><w:i/>") + t("and large", '<w:sz w:val="36"/>') + t(" in one line of " + TEXT)),
        p(t("Times, ", '<w:rFonts w:ascii="Times New Roman" w:hAnsi="Times New Roman"/>') + t("Arial, ", '<w:rFonts w:ascii="Arial" w:hAnsi="Arial"/>') + t("Courier, ", '<w:rFonts w:ascii="Courier New" w:hAnsi="Courier New"/>') + t("Cambria. ", '<w:rFonts w:ascii="Cambria" w:hAnsi="Cambria"/>') + t(TEXT)),
        p("A heading of its own", style="Heading1"),
        p("One below", style="Heading2"),
        p(LONG, style="Serif"),
    ).save("text-fonts")
    Doc().add(
        p(t("All capitals, ", "<w:caps/>") + t("Small Capitals Here, ", "<w:smallCaps/>") + t("struck, ", "<w:strike/>") + t("struck twice, ", "<w:dstrike/>") + t("shown") + t(" hidden", "<w:vanish/>") + t(" and on.")),
        *[p(t(f"Underlined {kind} ", f'<w:u w:val="{kind}"/>') + t("and not.")) for kind in ("single", "words", "double", "thick", "dotted", "dash", "dotDash", "wave")],
        p(t("Red line", '<w:u w:val="single" w:color="C00000"/>') + t(" H") + t("2", '<w:vertAlign w:val="subscript"/>') + t("O and m") + t("2", '<w:vertAlign w:val="superscript"/>') + t(" on.")),
        p(t("Spaced out, ", '<w:spacing w:val="40"/>') + t("drawn together, ", '<w:spacing w:val="-10"/>') + t("highlighted", '<w:highlight w:val="yellow"/>') + t(" and ") + t("shaded", '<w:shd w:val="clear" w:color="auto" w:fill="D9E2D0"/>') + t(" and ") + t("boxed", '<w:bdr w:val="single" w:sz="4" w:space="0" w:color="auto"/>') + t(".")),
        p(t("Kerned AV To We. ", '<w:kern w:val="16"/><w:sz w:val="40"/>') + t("Plain AV To We.", '<w:sz w:val="40"/>')),
        p(t(TEXT, '<w:color w:val="2E5E4E"/>')),
    ).save("text-looks")
    Doc().add(p(TEXT), p(t("Text stands") + t(" raised", '<w:position w:val="8"/>') + t(" and") + t(" lowered", '<w:position w:val="-8"/>') + t(" in its line.")), p("And on.")).save("text-raised")
    long = "Hafengesellschaftsverwaltungsangelegenheiten"
    Doc().add(
        p("What is wider than its line goes on in the next."),
        table([1500, 7560], row(cell(long, 1500), cell("beside", 7560)), row(cell("see maud.quayle@brackwater-quay.example now", 1500), cell("beside", 7560)), props='<w:tblLayout w:type="fixed"/>'),
        p("Across the page: " + "httpsaddresswithoutspaces" * 5 + " and on.", '<w:spacing w:before="160"/>'),
        p(long * 2, '<w:ind w:left="5000" w:right="1000"/>'),
        p(t("Before it a word, " ) + t(long, "<w:b/>") + t(" and after it more."), '<w:ind w:right="6200"/>'),
    ).save("text-long-words")
    sym = lambda font, code: f'<w:r><w:sym w:font="{font}" w:char="{code}"/></w:r>'
    Doc().add(
        p(t("Signs: ") + sym("Wingdings", "F0FC") + sym("Wingdings", "F0A8") + sym("Symbol", "F061") + t(" done.")),
        p('<w:r><w:t>Non</w:t><w:noBreakHyphen/><w:t>breaking and soft</w:t><w:softHyphen/><w:t>hyphen, a long line follows.</w:t></w:r>' + t(LONG)),
        p(t("10\u00a0000\u00a0EUR stay together at the end of a line that is filled with words until it must break, 10\u00a0000\u00a0EUR again.")),
        p(t("One line") + "<w:r><w:br/></w:r>" + t("and another") + "<w:r><w:br/></w:r>" + t("in one paragraph.")),
    ).save("text-signs")
    Doc('<w:autoHyphenation/>').add(
        p(t("Schifffahrtsverwaltungsangelegenheiten und Liegeplatzvergabevorschriften werden in der Hauptversammlung der Hafengenossenschaft besprochen. " * 3, '<w:lang w:val="de-DE"/>'), '<w:ind w:right="4000"/><w:jc w:val="both"/>'),
        p(t("Administrative responsibilities concerning accommodation arrangements notwithstanding. " * 4), '<w:ind w:right="4000"/><w:jc w:val="both"/>'),
        p(t("Administrative responsibilities concerning accommodation arrangements notwithstanding. " * 4), '<w:suppressAutoHyphens/><w:ind w:right="4000"/>'),
    ).save("text-hyphens")
    Doc().add(
        p('<w:r><w:rPr><w:rtl/></w:rPr><w:t>שלום, זהו מכתב מן הנמל על המקום לשנה הבאה.</w:t></w:r>', "<w:bidi/>"),
        p(t("A Hebrew word ") + '<w:r><w:rPr><w:rtl/></w:rPr><w:t>שלום</w:t></w:r>' + t(" within English.")),
        p('<w:r><w:rPr><w:rtl/><w:szCs w:val="32"/><w:bCs/></w:rPr><w:t>مرحبا بكم في الميناء</w:t></w:r>', "<w:bidi/>"),
    ).save("text-rtl")
    stops = lambda *all: "<w:tabs>" + "".join(f'<w:tab w:val="{k}" w:pos="{pos}"{f" w:leader=%s" % chr(34) + l + chr(34) if l else ""}/>' for k, pos, l in all) + "</w:tabs>"
    Doc().add(
        p("Left\tdefault\tstops\there"),
        p("At the left\tof two\tand four", stops(("left", 2000, ""), ("left", 4000, ""))),
        p("Name\tcentred\tright", stops(("center", 4536, ""), ("right", 9072, ""))),
        p("Berth\t12.50\nx".replace("\nx", ""), stops(("decimal", 5000, ""))),
        p("Power\t1,234.5", stops(("decimal", 5000, ""))),
        p("Dots\t12", stops(("right", 9072, "dot"))),
        p("Line\tend", stops(("left", 5000, "underscore"))),
        p("Term\tA hanging paragraph whose text goes on for more than one line and stays behind its tab stop on every line that follows. " + TEXT, '<w:ind w:left="1800" w:hanging="1800"/>'),
    ).save("text-tabs")
    ruled = stops(("bar", 2835, ""), ("left", 3119, ""), ("bar", 6804, ""), ("right", 8505, "")) + '<w:spacing w:before="0" w:after="0"/>'
    berths = [("A02", "La Golondrina de Invierno", "15.1"), ("A09", "Stille Wind", "18.1"), ("A15", "Second Thoughts", "6.0")]
    Doc().add(p("Lines run down between the stops."), *[p("\t".join(berth), ruled) for berth in berths], p(TEXT)).save("text-bars")
    wide = lambda share, words: t(words, f'<w:w w:val="{share}"/>')
    Doc().add(
        p(wide(150, "Half as wide again. ") + wide(80, "A fifth narrower, as some forms have their words. ") + t("As the font is. ") + wide(120, TEXT)),
        p(wide(90, LONG), '<w:jc w:val="both"/>'),
    ).save("text-widened")


# Paragraphs --------------------------------------------------------------------


def paragraphs():
    Doc().add(
        p(LONG, '<w:jc w:val="both"/>'),
        p(TEXT, '<w:jc w:val="center"/>'),
        p(TEXT, '<w:jc w:val="right"/>'),
        p(TEXT, '<w:ind w:left="720" w:right="1440"/>'),
        p(TEXT, '<w:ind w:firstLine="567"/>'),
        p(TEXT, '<w:ind w:left="567" w:hanging="567"/>'),
        p(TEXT, '<w:ind w:left="-400" w:right="-400"/>'),
    ).save("paragraph-indents")
    Doc().add(
        p(TEXT, '<w:spacing w:before="0" w:after="0" w:line="240" w:lineRule="auto"/>'),
        p(TEXT, '<w:spacing w:before="400" w:after="200" w:line="360" w:lineRule="auto"/>'),
        p(TEXT, '<w:spacing w:line="400" w:lineRule="exact"/>'),
        p(TEXT, '<w:spacing w:line="400" w:lineRule="atLeast"/>'),
        p(t("Small and ") + t("large", '<w:sz w:val="60"/>') + t(" in one line. " + TEXT), '<w:spacing w:line="240" w:lineRule="auto"/>'),
        p("First of one style", '<w:spacing w:before="200" w:after="200"/><w:contextualSpacing/>', "ListParagraph"),
        p("Second of one style", '<w:spacing w:before="200" w:after="200"/><w:contextualSpacing/>', "ListParagraph"),
        p("Another style"),
        p("Last", '<w:spacing w:before="600"/>'),
    ).save("paragraph-spacing")
    line = lambda side, kind="single", sz=8, space=4, color="5B3A6B": f'<w:{side} w:val="{kind}" w:sz="{sz}" w:space="{space}" w:color="{color}"/>'
    box = "<w:pBdr>" + "".join(line(s) for s in ("top", "left", "bottom", "right")) + "</w:pBdr>"
    Doc().add(
        p("Before the box."),
        p("First in a box. " + TEXT, box),
        p("Second in the same box.", box),
        p("After the box."),
        p("A rule below", "<w:pBdr>" + line("bottom", sz=12, space=1) + "</w:pBdr>"),
        p("Shaded. " + TEXT, '<w:shd w:val="clear" w:color="auto" w:fill="EFE8F2"/>'),
        p("Shaded with it.", '<w:shd w:val="clear" w:color="auto" w:fill="EFE8F2"/>'),
        p("Between", "<w:pBdr>" + line("between", sz=6, space=1) + "</w:pBdr>"),
        p("two and", "<w:pBdr>" + line("between", sz=6, space=1) + "</w:pBdr>"),
        p("three.", "<w:pBdr>" + line("between", sz=6, space=1) + "</w:pBdr>"),
        p("Dashed and indented", "<w:pBdr>" + line("left", "dashed", 12) + "</w:pBdr>" + '<w:ind w:left="720"/>'),
    ).save("paragraph-borders")
    doc = Doc()
    for number in range(1, 12):
        doc.add(p(f"Section {number}", style="Heading1"), p(LONG), p(TEXT, '<w:jc w:val="both"/>'))
    doc.save("paragraph-keep")
    Doc().add(
        p(LONG), p("A new page", "<w:pageBreakBefore/>", "Heading1"), p(LONG),
        p(t("Before the break") + '<w:r><w:br w:type="page"/></w:r>' + t("after the break")), p(LONG),
        p('<w:r><w:br w:type="page"/></w:r>'), p("On the fourth page."),
    ).save("paragraph-breaks")
    doc = Doc()
    for number in range(9):
        doc.add(p(LONG, '<w:widowControl w:val="0"/>' if number % 2 else "", "Serif"))
    doc.save("paragraph-widows")
    # As word processors write it: exact lines of the whole letter, and a large one in it.
    drop = '<w:keepNext/><w:framePr w:dropCap="{}" w:lines="3" w:hSpace="60" w:wrap="around" w:vAnchor="text" w:hAnchor="{}"/><w:spacing w:after="0" w:line="870" w:lineRule="exact"/>'
    letter = lambda sign: t(sign, '<w:position w:val="-6"/><w:sz w:val="104"/>')
    Doc().add(
        p(letter("T"), drop.format("drop", "text")), p(t("he harbour office" + LONG[len("The harbour office"):])), p(TEXT),
    ).save("paragraph-drop-caps")
    Doc().add(p(letter("B"), drop.format("margin", "page")), p(t("oats" + LONG[LONG.index(" that stay"):])), p(TEXT)).save("paragraph-drop-margin")
    frame = '<w:framePr w:w="2400" w:hSpace="180" w:wrap="around" w:vAnchor="text" w:hAnchor="margin" w:xAlign="{}" w:y="1"/><w:spacing w:after="0"/><w:shd w:val="clear" w:color="auto" w:fill="EFE8F2"/>'
    doc = Doc()
    number = '<w:framePr w:wrap="around" w:vAnchor="text" w:hAnchor="margin" w:xAlign="center" w:y="1"/>'
    foot = doc.edge("footer", p(t("Page ") + field("PAGE", "1"), number) + p("", style="Header"))
    doc.tail = doc.section(foot)
    doc.add(p("Frames stand beside the text."), p("Hauling out begins on", frame.format("right")), p("12 October.", frame.format("right")), p(LONG), p("Masts are down by then.", frame.format("left")), p(LONG), p(TEXT))
    doc.save("paragraph-frames")


# Lists --------------------------------------------------------------------------


def lists():
    doc = Doc()
    doc.numbering = (
        '<w:abstractNum w:abstractNumId="0">' + levels(("decimal", "%1.", 720, 360, ""), ("lowerLetter", "%2)", 1440, 360, ""), ("lowerRoman", "%3.", 2160, 180, "")) + "</w:abstractNum>"
        '<w:abstractNum w:abstractNumId="1">' + levels(("bullet", "\uf0b7", 720, 360, ""), ("bullet", "o", 1440, 360, "")) + "</w:abstractNum>"
        '<w:abstractNum w:abstractNumId="2">' + levels(("upperRoman", "Article %1.", 0, 0, '<w:suff w:val="space"/>'), ("decimal", "%1.%2", 720, 720, ""), ("decimal", "%1.%2.%3", 1440, 720, "")) + "</w:abstractNum>"
        '<w:num w:numId="1"><w:abstractNumId w:val="0"/></w:num><w:num w:numId="2"><w:abstractNumId w:val="1"/></w:num><w:num w:numId="3"><w:abstractNumId w:val="2"/></w:num>'
        '<w:num w:numId="4"><w:abstractNumId w:val="0"/><w:lvlOverride w:ilvl="0"><w:startOverride w:val="1"/></w:lvlOverride></w:num>'
    )
    doc.add(
        item("First", 1), item("Second with a text that is longer than one line, so that the next line shows where the text of a list begins. " + TEXT, 1), item("Below", 1, 1), item("Deeper", 1, 2), item("Deeper still", 1, 2), item("Third", 1),
        p("Between two lists."), item("Begins again", 4), item("and goes on", 4),
        item("A bullet", 2), item("Another with more text that runs over the end of the line, as texts of lists do now and then when they are long.", 2), item("inner", 2, 1),
        item("Berths", 3, 0, "Plain"), item("Who holds one", 3, 1, "Plain"), item("and for how long", 3, 2, "Plain"), item("Fees", 3, 0, "Plain"), item("When they are due. " + TEXT, 3, 1, "Plain"),
        *[item(f"Item {n}", 1) for n in range(4, 14)],
    ).save("lists")
    doc = Doc()
    doc.numbering = (
        '<w:abstractNum w:abstractNumId="0">' + levels(("upperRoman", "Article %1.", 0, 0, '<w:suff w:val="space"/>'), ("decimal", "%1.%2", 720, 720, "<w:isLgl/>")) + "</w:abstractNum>"
        '<w:num w:numId="1"><w:abstractNumId w:val="0"/></w:num>'
    )
    doc.add(item("Berths", 1, 0, "Plain"), item("Who holds one", 1, 1, "Plain"), item("Fees", 1, 0, "Plain"), item("When they are due. " + TEXT, 1, 1, "Plain")).save("lists-legal")


# Tables -------------------------------------------------------------------------


def tables():
    three = [3020, 3020, 3020]
    Doc().add(
        p("A table of three columns."),
        table(three, row(*[cell(c, 3020) for c in ("Berth", "Holder", "Balance")]), row(cell("A10", 3020), cell("Jörg Brückner, who has a name and a text long enough for two lines", 3020), cell(p("480.50", '<w:jc w:val="right"/>'), 3020)), row(*[cell(c, 3020) for c in ("B7", "Femke Achterberg", "12.00")])),
        p("After the table."),
        table([1500, 6000], row(cell("Fixed", 1500), cell("A wide one", 6000)), props='<w:tblLayout w:type="fixed"/><w:jc w:val="center"/>'),
        p("Half as wide as the text:"),
        table([4530, 4530], row(cell("Half", 2265), cell("of it", 2265)), props='<w:tblW w:w="2500" w:type="pct"/>'),
    ).save("table-widths")
    Doc().add(p("As wide as its content:"), table([1000, 1000], row(cell("Short"), cell("A somewhat longer text")), row(cell("x"), cell("y"))), p(TEXT)).save("table-fit")
    merged = lambda kind: f'<w:vMerge{" w:val=%s" % chr(34) + kind + chr(34) if kind else ""}/>'
    Doc().add(
        table(three, row(cell("Across all three", 9060, '<w:gridSpan w:val="3"/>')), row(cell("Down", 3020, merged("restart")), cell("one", 3020), cell("two", 3020)), row(cell(p(), 3020, merged("")), cell("three, with a text that needs more lines than one of them", 3020), cell("four", 3020)), row(cell("below", 3020), cell("two wide", 6040, '<w:gridSpan w:val="2"/>'))),
        p("Nested:"),
        table([4530, 4530], row(cell(p("Outside") + table([2000, 2000], row(cell("in", 2000), cell("side", 2000))) + p("after"), 4530), cell("beside", 4530))),
        p("End."),
    ).save("table-merged")
    side = lambda s, kind, sz, color="000000": f'<w:{s} w:val="{kind}" w:sz="{sz}" w:space="0" w:color="{color}"/>'
    Doc().add(
        table(three, row(cell("thick below", 3020, "<w:tcBorders>" + side("bottom", "single", 24, "A8402C") + "</w:tcBorders>"), cell("none", 3020, "<w:tcBorders>" + side("top", "nil", 0) + side("right", "nil", 0) + "</w:tcBorders>"), cell("shaded", 3020, '<w:shd w:val="clear" w:color="auto" w:fill="D9E2D0"/>')), row(*[cell(c, 3020) for c in "abc"])),
        p(""),
        table(three, row(*[cell(c, 3020, '<w:tcMar><w:top w:w="200" w:type="dxa"/><w:left w:w="400" w:type="dxa"/></w:tcMar>') for c in ("far from", "its", "edges")])),
        p(""),
        table(three, row(cell("Top. " + TEXT, 3020), cell("middle", 3020, '<w:vAlign w:val="center"/>'), cell("bottom", 3020, '<w:vAlign w:val="bottom"/>'))),
        p(""),
        table(three, row(*[cell(c, 3020) for c in ("at least", "forty", "points")], props='<w:trHeight w:val="800" w:hRule="atLeast"/>'), row(*[cell(c, 3020) for c in ("exactly", "twenty", "points")], props='<w:trHeight w:val="400" w:hRule="exact"/>')),
        p(""),
        table(three, row(cell("upwards", 3020, '<w:textDirection w:val="btLr"/>'), cell("downwards", 3020, '<w:textDirection w:val="tbRl"/>'), cell("across", 3020), props='<w:trHeight w:val="1600" w:hRule="exact"/>')),
    ).save("table-cells")
    around = lambda tag: f"<w:{tag}>" + "".join(side(s, "double", 6, "5B3A6B") for s in ("top", "left", "bottom", "right")) + f"</w:{tag}>"
    doc = Doc()
    doc.add(
        p("Within two lines all round.", around("pBdr")),
        p(""),
        table(three, row(*[cell(c, 3020) for c in ("Net", "", "480.50")]), row(*[cell(c, 3020, "<w:tcBorders>" + side("bottom", "double", 6) + "</w:tcBorders>") for c in ("Total", "", "571.80")])),
        p(""),
        table(three, row(cell("A box", 3020, around("tcBorders")), cell("beside it", 3020), cell("", 3020)), props="<w:tblBorders></w:tblBorders>", style="Table"),
    )
    doc.tail = f'<w:sectPr>{A4}<w:pgBorders w:offsetFrom="page">' + around("x").replace('w:space="0"', 'w:space="24"').removeprefix("<w:x>").removesuffix("</w:x>") + "</w:pgBorders></w:sectPr>"
    doc.save("table-doubles")
    items = [("Berth A10", "1", "480.50"), ("Power", "30", "10.50"), ("Water", "2", "12.00"), ("Crane", "1", "95.00")]
    Doc().add(
        p("Styled by its parts:"),
        table(three, *[row(*[cell(c, 3020) for c in r]) for r in [("Item", "Count", "Sum"), *items, ("Total", "", "598.00")]], style="Banded", look="04E0"),
        p("Without bands and first column:"),
        table(three, *[row(*[cell(c, 3020) for c in r]) for r in [("Item", "Count", "Sum"), *items]], style="Banded", look="0620"),
    ).save("table-styles")
    # Groups of rows that stay together: some as high as most of a page, one higher than it.
    def group(n, *words):
        keep = lambda last: "" if last else "<w:keepNext/>"
        texts = [f"Group {n}", *words]
        return [row(cell(p(f"{n}.{at}" if at else text, keep(text is texts[-1])), 3020), cell(text if at else "", 3020), cell(f"{n * 40}.50", 3020)) for at, text in enumerate(texts)]
    few = [r for n in range(1, 5) for r in group(n, TEXT, "Between. " + TEXT, "Last. " + TEXT)]
    Doc().add(p("Groups of rows."), table(three, row(*[cell(p(t(c, "<w:b/>")), 3020) for c in ("No.", "Text", "Sum")], props="<w:tblHeader/>"), *few, *group(5, *[f"Part {at}. " + LONG for at in range(4)])), p("End.")).save("table-kept")
    rows = [row(*[cell(c, 3020) for c in (f"Berth {n}", "Holder with a long name and an address" if n % 3 else LONG, f"{n}.00")], props="<w:cantSplit/>" if n % 2 else "") for n in range(1, 45)]
    Doc().add(p("A long one."), table(three, row(*[cell(p(t(c, "<w:b/>")), 3020) for c in ("Berth", "Holder", "Balance")], props="<w:tblHeader/>"), *rows), p("End.")).save("table-pages")
    beside = '<w:tblpPr w:leftFromText="180" w:rightFromText="180" w:topFromText="60" w:bottomFromText="60" w:vertAnchor="text" w:horzAnchor="margin" w:tblpX="{}" w:tblpY="{}"/><w:tblCellMar><w:left w:w="0" w:type="dxa"/><w:right w:w="0" w:type="dxa"/></w:tblCellMar>'
    small = lambda side, down: table((1701, 1134), row(cell("Berth", 1701), cell("Metres", 1134)), row(cell("A01", 1701), cell("9.50", 1134)), row(cell("B12", 1701), cell("12.00", 1134)), props=beside.format(side, down))
    whole = table((3020, 3020, 3020), row(*[cell(c, 3020) for c in ("Berth", "Holder", "Balance")]), row(*[cell(c, 3020) for c in ("A01", "Jörg Brückner", "480.50")]), props=beside.format(1, 1))
    Doc().add(p("A table beside the text."), small(6120, 1), p(LONG), p(TEXT), small(108, 300), p(LONG), p("One as wide as the text."), whole, p(TEXT)).save("table-beside")


# Pages --------------------------------------------------------------------------


def pages():
    doc = Doc("<w:evenAndOddHeaders/>")
    number = field("PAGE", "1")
    refs = doc.edge("header", p("Odd\tpage\t" + "", style="Header")[:-6] + number + "</w:p>") + doc.edge("header", p(t("Even page ") + number, style="Header"), "even") + doc.edge("header", p("The first page", style="Header"), "first") + doc.edge("footer", p(t("\t") + number + t(" of ") + field("NUMPAGES", "9"), style="Header"))
    doc.tail = doc.section(refs).replace("</w:sectPr>", "<w:titlePg/></w:sectPr>")
    for number in range(14):
        doc.add(p(LONG))
    doc.save("page-headers")
    doc = Doc()
    tall = doc.edge("header", "".join(p(f"Line {n} of a tall header", style="Header") for n in range(1, 8)))
    doc.tail = doc.section(tall)
    doc.add(p(LONG), p(LONG)).save("page-tall-header")
    doc = Doc()
    wide = '<w:pgSz w:w="16838" w:h="11906" w:orient="landscape"/><w:pgMar w:top="1000" w:right="1000" w:bottom="1000" w:left="2000" w:header="708" w:footer="708" w:gutter="0"/>'
    foot = doc.edge("footer", p(t("Page ") + field("PAGE", "1") + t(", ") + field("SECTIONPAGES", "1") + t(" in this part"), style="Header"))
    doc.add(p("Upright. " + LONG), p(LONG, f'<w:sectPr>{foot}{A4}<w:pgNumType w:fmt="lowerRoman"/></w:sectPr>'))
    doc.add(p("Across. " + LONG), p(LONG, f'<w:sectPr>{foot}{wide}<w:pgNumType w:start="5"/></w:sectPr>'))
    doc.add(p("Upright again. " + LONG))
    doc.tail = doc.section(foot)
    doc.save("page-sections")
    doc = Doc()
    doc.add(p("Across the page. " + LONG, f'<w:sectPr>{A4}</w:sectPr>'))
    doc.add(p(LONG), p(LONG), p(LONG, f'<w:sectPr><w:type w:val="continuous"/>{A4}<w:cols w:num="2" w:space="708"/></w:sectPr>'))
    doc.add(p("Across again. " + LONG))
    doc.tail = f'<w:sectPr><w:type w:val="continuous"/>{A4}</w:sectPr>'
    doc.save("page-columns")
    doc = Doc()
    doc.tail = f'<w:sectPr>{A4}<w:cols w:num="2" w:space="708"/></w:sectPr>'
    for _ in range(12):
        doc.add(p(LONG, '<w:jc w:val="both"/>', "Serif"))
    doc.add(p(t("Last of this column.") + '<w:r><w:br w:type="column"/></w:r>' + t("First of the next.")))
    doc.save("page-columns-whole")
    doc = Doc()
    doc.add(p("Across both.", '<w:spacing w:after="260"/>'), p(LONG, f'<w:sectPr><w:type w:val="continuous"/>{A4}</w:sectPr>'))
    doc.add(p(LONG), p(LONG), p(LONG, f'<w:sectPr><w:type w:val="continuous"/>{A4}<w:cols w:num="2" w:space="708" w:sep="1"/></w:sectPr>'))
    doc.add(p("Across again."), *[p(LONG) for _ in range(16)])
    doc.tail = f'<w:sectPr>{A4}<w:cols w:num="3" w:space="567" w:sep="1"/></w:sectPr>'
    doc.save("page-column-lines")
    # Columns of their own widths, parted by a break.
    doc = Doc()
    uneven = '<w:cols w:num="2" w:space="567" w:equalWidth="0"><w:col w:w="2835" w:space="567"/><w:col w:w="5670"/></w:cols>'
    notes = [p(words, '<w:spacing w:after="80"/>') for words in ("Harbour office", "4 Slipway Lane", "Brackwater Quay", "Open from eight to five, on Saturdays until noon.")]
    doc.add(p("Across the page. " + TEXT, f'<w:sectPr><w:type w:val="continuous"/>{doc.page}</w:sectPr>'))
    doc.add(*notes, p('<w:r><w:br w:type="column"/></w:r>' + t(LONG)), p(TEXT), p(LONG, f'<w:sectPr><w:type w:val="continuous"/>{doc.page}{uneven}</w:sectPr>'))
    doc.tail = f'<w:sectPr><w:type w:val="continuous"/>{doc.page}</w:sectPr>'
    doc.add(p("Across again. " + TEXT)).save("page-columns-uneven")
    # Text that flows from one width into another, over pages, and is balanced where it ends.
    doc = Doc()
    doc.numbering = '<w:abstractNum w:abstractNumId="0"><w:lvl w:ilvl="0"><w:start w:val="1"/><w:numFmt w:val="decimal"/><w:lvlText w:val="%1."/><w:pPr><w:ind w:left="360" w:hanging="360"/></w:pPr></w:lvl></w:abstractNum><w:num w:numId="1"><w:abstractNumId w:val="0"/></w:num>'
    listed = '<w:numPr><w:ilvl w:val="0"/><w:numId w:val="1"/></w:numPr>'
    doc.add(p("Across the page. " + TEXT, f'<w:sectPr><w:type w:val="continuous"/>{doc.page}</w:sectPr>'))
    for chapter in ("Berths", "Winter", "Cranes", "Dues"):
        doc.add(p(chapter, style="Heading1"), p(LONG), p(TEXT, '<w:jc w:val="both"/>'), p(TEXT, listed), p(LONG, listed), p(LONG, "<w:keepLines/>"))
    doc.add(p("Last of the columns.", f'<w:sectPr><w:type w:val="continuous"/>{doc.page}{uneven}</w:sectPr>'))
    doc.tail = f'<w:sectPr><w:type w:val="continuous"/>{doc.page}</w:sectPr>'
    doc.add(p("Across again. " + TEXT)).save("page-columns-flow")
    doc = Doc()
    numbered = lambda every, more="": f'<w:lnNumType w:countBy="{every}"{more}/>'
    quiet = "<w:suppressLineNumbers/>"
    doc.tail = f"<w:sectPr>{doc.page}{numbered(1)}</w:sectPr>"
    doc.add(p("Every line has a number.", style="Heading1"), p(LONG), p("This one has none. " + TEXT, quiet), table((3020, 3020), row(cell("Berth", 3020), cell("Fee", 3020)), row(cell("A01", 3020), cell("480.50", 3020))), p("Tables have none.", '<w:spacing w:before="160"/>'), *[p(LONG) for _ in range(7)]).save("page-line-numbers")
    doc = Doc()
    doc.tail = f'<w:sectPr>{doc.page}{numbered(5, """ w:restart="continuous" w:distance="567" """)}</w:sectPr>'
    doc.add(p("Every fifth has one.", style="Heading1"), *[p(LONG) for _ in range(9)]).save("page-line-fifths")
    doc = Doc()
    sides = "".join(f'<w:{s} w:val="single" w:sz="12" w:space="24" w:color="5B3A6B"/>' for s in ("top", "left", "bottom", "right"))
    kind = '<v:shapetype id="_x0000_t136" coordsize="21600,21600" o:spt="136" adj="10800" path="m@7,l@8,m@5,21600l@6,21600e"><v:formulas><v:f eqn="sum #0 0 10800"/><v:f eqn="prod #0 2 1"/><v:f eqn="sum 21600 0 @1"/><v:f eqn="sum 0 0 @2"/><v:f eqn="sum 21600 0 @3"/><v:f eqn="if @0 @3 0"/><v:f eqn="if @0 21600 @1"/><v:f eqn="if @0 0 @2"/><v:f eqn="if @0 @4 21600"/></v:formulas><v:path textpathok="t" o:connecttype="rect"/><v:textpath on="t" fitshape="t"/></v:shapetype>'
    mark = '<w:r><w:pict>' + kind + '<v:shape id="w1" type="#_x0000_t136" style="position:absolute;margin-left:0;margin-top:0;width:412pt;height:165pt;rotation:315;z-index:-251;mso-position-horizontal:center;mso-position-horizontal-relative:margin;mso-position-vertical:center;mso-position-vertical-relative:margin" fillcolor="silver" stroked="f"><v:fill opacity=".5"/><v:textpath style="font-family:&quot;Calibri&quot;;font-size:1pt" string="COPY"/></v:shape></w:pict></w:r>'
    head = doc.edge("header", p(mark + t("With a watermark"), style="Header"))
    doc.tail = f'<w:sectPr>{head}{A4}<w:pgBorders w:offsetFrom="page">{sides}</w:pgBorders></w:sectPr>'
    doc.add(*[p(LONG) for _ in range(7)]).save("page-borders")
    doc = Doc()
    for n in range(1, 9):
        doc.add(p(t(LONG) + doc.note(f"Note {n}: the tariff of the season, which the board decides on in spring. " + (TEXT if n % 3 == 0 else "")) + t(" " + TEXT)))
    doc.save("page-footnotes")
    doc = Doc()
    doc.add(p(t("With a note at the end.") + doc.note("The first.", "endnote") + t(" " + LONG) + doc.note("The second.", "endnote")), p(LONG)).save("page-endnotes")
    doc = Doc()
    begin = '<w:r><w:fldChar w:fldCharType="begin"/></w:r><w:r><w:instrText xml:space="preserve"> TOC \\o "1-2" \\h \\z \\u </w:instrText></w:r><w:r><w:fldChar w:fldCharType="separate"/></w:r>'
    tabs = '<w:tabs><w:tab w:val="right" w:leader="dot" w:pos="9062"/></w:tabs>'
    names = [("Berths", 1), ("Who may lie there", 2), ("Fees", 1), ("When they are due", 2), ("Winter", 1)]
    where = [1, 1, 2, 3, 3]
    for n, (name, level) in enumerate(names):
        link = f'<w:hyperlink w:anchor="_Toc{n}">{t(name)}<w:r><w:tab/></w:r>{field(f"PAGEREF _Toc{n} " + chr(92) + "h", str(where[n]))}</w:hyperlink>'
        doc.add(p((begin if n == 0 else "") + link, tabs, f"Toc{level}"))
    doc.add(p('<w:r><w:fldChar w:fldCharType="end"/></w:r>'))
    for n, (name, level) in enumerate(names):
        mark = f'<w:bookmarkStart w:id="{n}" w:name="_Toc{n}"/>{t(name)}<w:bookmarkEnd w:id="{n}"/>'
        doc.add(p(mark, style=f"Heading{level}"), *[p(LONG) for _ in range(4)])
    doc.add(p(t("See ") + field("REF _Toc2 \\h", "Fees") + t(" on page ") + field("PAGEREF _Toc2 \\h", "2") + t(".")))
    doc.save("page-contents")


# Drawings -----------------------------------------------------------------------


def drawings():
    doc = Doc()
    rel = doc.picture("quay.png", 240, 160)
    doc.add(
        p(t("In the line ") + inline(1, 90, 60, pic(1, rel, 90, 60)) + t(" goes on. " + TEXT)),
        p(inline(2, 300, 200, pic(2, rel, 300, 200)), '<w:jc w:val="center"/>'),
        p(t("Cropped ") + inline(3, 90, 60, pic(3, rel, 90, 60, '<a:srcRect l="25000" t="25000" r="25000" b="25000"/>')) + t(" and turned ") + inline(4, 90, 60, pic(4, rel, 90, 60, rot=' rot="5400000"')) + t(" in a line.")),
        p(LONG),
    ).save("drawing-inline")
    for side, align in (("left", None), ("right", "right")):
        doc = Doc()
        rel = doc.picture("quay.png", 240, 160)
        x = at("H", "column", align=align) if align else at("H", "column", 0)
        doc.add(p(TEXT), p(anchor(1, 150, 100, pic(1, rel, 150, 100), x, at("V", "paragraph", 0), '<wp:wrapSquare wrapText="bothSides"/>') + t(LONG)), p(LONG, '<w:jc w:val="both"/>'), p(LONG)).save(f"drawing-beside-{side}")
    doc = Doc()
    rel = doc.picture("quay.png", 240, 160)
    doc.add(
        p(anchor(1, 200, 120, pic(1, rel, 200, 120), at("H", "margin", align="center"), at("V", "paragraph", 0), "<wp:wrapTopAndBottom/>") + t("Below the picture. " + LONG)),
        p(anchor(2, 120, 80, pic(2, rel, 120, 80), at("H", "page", 420), at("V", "page", 30), behind=1) + t("A logo stands in the corner. " + LONG)),
        p(anchor(3, 300, 200, pic(3, rel, 300, 200), at("H", "margin", align="center"), at("V", "margin", align="bottom"), behind=1) + t("One behind at the bottom.")),
    ).save("drawing-anchored")
    doc = Doc()
    rel = doc.picture("mark.png", 120, 60)
    broad = anchor(1, 453, 90, pic(1, rel, 453, 90), at("H", "column", 0), at("V", "paragraph", 0), '<wp:wrapSquare wrapText="bothSides"/>')
    doc.add(p(TEXT), p(broad + t("Nothing stands beside a picture as wide as the text. " + TEXT)), p(TEXT)).save("drawing-broad")
    doc = Doc()
    rel = doc.picture("mark.png", 120, 60)
    lies = lambda number, x, y, origin, width=140, height=90: anchor(number, width, height, pic(number, rel, width, height), at("H", "page", x), at("V", origin, y), '<wp:wrapSquare wrapText="bothSides"/>')
    doc.add(p(lies(1, 384, 40, "page") + t("A logo reaches from the margin into the text. " + LONG)), p(TEXT), p(lies(2, 71, 240, "margin") + t("One lies on the paper, below the paragraph that holds it. " + LONG)), p(LONG), p(LONG)).save("drawing-on-paper")
    doc = Doc()
    inner = p("Text in a box. " + TEXT, style="Plain")
    doc.add(
        p(t("A box in the line: ") + inline(1, 200, 90, shape(200, 90, text=inner), "A box")),
        p(t("An ellipse ") + inline(2, 80, 40, shape(80, 40, "ellipse"), "An ellipse") + t(" and a line ") + inline(3, 80, 20, shape(80, 20, "line", None), "A line")),
        p(anchor(4, 180, 70, shape(180, 70, "roundRect", text=p("Beside the text", '<w:jc w:val="center"/>', "Plain"), anchor_at="ctr"), at("H", "column", 273), at("V", "paragraph", 0), '<wp:wrapSquare wrapText="bothSides"/>') + t(LONG)),
        p('<w:r><w:pict><v:rect style="width:150pt;height:40pt" fillcolor="#D9E2D0" strokecolor="#2E5E4E"><v:textbox><w:txbxContent>' + p("An older box", style="Plain") + "</w:txbxContent></v:textbox></v:rect></w:pict></w:r>"),
    ).save("drawing-shapes")
    chart = p('<w:r><w:drawing><wp:inline distT="0" distB="0" distL="0" distR="0"><wp:extent cx="2540000" cy="1270000"/><wp:docPr id="9" name="chart" descr="Berths by year"/><a:graphic><a:graphicData uri="http://schemas.openxmlformats.org/drawingml/2006/chart"><c:chart r:id="rId99"/></a:graphicData></a:graphic></wp:inline></w:drawing></w:r>')
    Doc().add(p("What can't be drawn is framed."), chart, p(TEXT)).save("drawing-chart")


# Whole documents ------------------------------------------------------------------


def whole():
    doc = Doc()
    rel = doc.picture("mark.png", 120, 60)
    head = doc.edge("header", p(inline(1, 80, 40, pic(1, rel, 80, 40, words="Brackwater Quay")) + t("\t\tBrackwater Quay"), style="Header"))
    foot = doc.edge("footer", p(t("Harbour office · 4 Slipway Lane\t\tPage ") + field("PAGE", "1"), style="Header"))
    doc.tail = doc.section(head + foot)
    doc.add(
        p("Jörg Brückner", style="Plain"), p("Hafenstraße 12", style="Plain"), p("20457 Hamburg", '<w:spacing w:after="600"/>', "Plain"),
        p("23 November 2026", '<w:jc w:val="right"/>'), p(t("Your berth A10 for the season of 2027", "<w:b/>")), p("Dear Mr Brückner,"), p(LONG), p(LONG),
        table([5000, 2000, 2060], row(*[cell(c, w) for c, w in (("Item", 5000), ("Count", 2000), ("Sum", 2060))]), *[row(cell(a, 5000), cell(p(b, '<w:jc w:val="right"/>'), 2000), cell(p(c, '<w:jc w:val="right"/>'), 2060)) for a, b, c in (("Berth A10", "1", "480.50"), ("Power", "30", "10.50"))], style="Banded", look="0420"),
        p("Kind regards,", '<w:spacing w:before="300" w:after="800"/>'), p("Maud Quayle", style="Plain"), p("Harbour office", style="Plain"),
    ).save("whole-letter")
    doc = Doc()
    doc.numbering = '<w:abstractNum w:abstractNumId="0">' + levels(("decimal", "%1", 567, 567, ""), ("decimal", "%1.%2", 567, 567, ""), ("lowerLetter", "(%3)", 1134, 567, "")) + '</w:abstractNum><w:num w:numId="1"><w:abstractNumId w:val="0"/></w:num>'
    foot = doc.edge("footer", p(t("Berth agreement\t\t") + field("PAGE", "1") + t(" / ") + field("NUMPAGES", "10"), style="Header"))
    doc.tail = doc.section(foot)
    doc.add(p("Berth agreement", '<w:jc w:val="center"/>', "Title"), p("between Brackwater Quay and Femke Achterberg", '<w:jc w:val="center"/>'))
    for article in range(1, 19):
        doc.add(p(t(f"Article {article}"), '<w:keepNext/><w:numPr><w:ilvl w:val="0"/><w:numId w:val="1"/></w:numPr>', "Heading2"))
        for clause in range(3):
            doc.add(item((LONG if clause else TEXT) + f"This is clause {clause + 1}.", 1, 1, "Serif").replace("<w:pStyle", "<w:pStyle").replace("</w:pPr>", '<w:spacing w:after="120"/><w:jc w:val="both"/></w:pPr>', 1))
        doc.add(item("except in winter", 1, 2, "Serif"), item("and when the crane is at work", 1, 2, "Serif"))
    doc.save("whole-contract")
    doc = Doc()
    rows = [row(cell(f"{n}", 700), cell(f"Refit work of the kind {n}" + (", with a remark that runs over two lines of its cell" if n % 4 == 0 else ""), 5000), cell(p(f"{n % 7 + 1}", '<w:jc w:val="right"/>'), 1200), cell(p(f"{n * 37}.50", '<w:jc w:val="right"/>'), 2160)) for n in range(1, 31)]
    widths = (700, 5000, 1200, 2160)
    doc.add(p("Quote Q-2026-118", style="Title"), p(TEXT), table(widths, row(*[cell(p(t(c, "<w:b/>")), w, '<w:shd w:val="clear" w:color="auto" w:fill="EFE8F2"/>') for c, w in zip(("No", "Work", "Hours", "Sum"), widths)], props="<w:tblHeader/>"), *rows), p("Sum: 17,205.00", '<w:jc w:val="right"/><w:spacing w:before="200"/>'), p(LONG))
    doc.save("whole-quote")


CLAUSES = (
    "The holder moors the vessel only at the berth that this agreement names",
    "lines, fenders and springs are the holder's own and are renewed before they chafe through",
    "whoever leaves for more than three nights tells the office, which may lend the berth to a visitor meanwhile",
    "the quay takes no charge of what is left on the pontoons",
    "shore power is metered from the first of April; the meter is read when the vessel leaves",
    "in a gale warning the yard may shift any vessel, and does so with the care of a good seaman",
    "children under twelve wear a lifejacket on the pontoons",
    "grinding, sanding and spraying are for the hard standing, behind screens, between eight and six",
    "waste oil, filters and flares go to the cabinet by the fuel berth and nowhere else",
    "dogs are welcome on a lead",
    "a vessel that lies idle for twelve months without a word from its holder is lifted at its holder's cost",
    "visitors' cars stand in the upper car park",
    "the crane lifts up to 18 t; slings are placed where the builder's drawing shows them",
    "an insurance of at least 3,000,000.00 is kept throughout, and its certificate is shown each spring",
)


def prose(number, sentences):
    """Sentences that differ from one number to the next, always the same for one."""
    out = []
    for at in range(sentences):
        first = CLAUSES[(number * 5 + at * 3) % len(CLAUSES)]
        second = CLAUSES[(number * 7 + at * 11 + 4) % len(CLAUSES)]
        joint = ("; ", ", and ", ". In the same way, ", ", except that ")[(number + at) % 4]
        out.append(first[0].upper() + first[1:] + joint + second + ".")
    return " ".join(out)


def offices():
    """Whole documents as an office has them."""
    right = '<w:jc w:val="right"/>'
    numbers = '<w:abstractNum w:abstractNumId="0">' + levels(("decimal", "%1.", 567, 567, ""), ("decimal", "%1.%2", 567, 567, ""), ("lowerLetter", "%3)", 1134, 567, "")) + '</w:abstractNum><w:num w:numId="1"><w:abstractNumId w:val="0"/></w:num>'
    foot = lambda doc, words: doc.edge("footer", p(t(f"{words}\t\tPage ") + field("PAGE", "1") + t(" of ") + field("NUMPAGES", "9"), style="Header"))

    doc = Doc()
    doc.numbering = numbers
    doc.tail = doc.section(foot(doc, "Berth licence BL-2027-014"))
    doc.add(p("Berth licence", style="Title"), p("for the season of 2027, between Brackwater Quay and the holder named below."))
    doc.add(table((2600, 6460), *[row(cell(p(t(a, "<w:b/>")), 2600), cell(b, 6460)) for a, b in (("Holder", "Femke Achterberg, Havenstraat 12, 1411 AB Naarden"), ("Vessel", "Stille Wind, sail, 9.85 m over all, 3.05 m beam"), ("Berth", "A09, with shore power of 16 A"), ("Fee", "1,960.00 a year, in two parts; see article 2"))]))
    for article in range(1, 13):
        doc.add(p(f"Article {article}", '<w:numPr><w:ilvl w:val="0"/><w:numId w:val="1"/></w:numPr>', "Heading2"))
        for clause in range(1 + article % 3):
            doc.add(item(prose(article * 3 + clause, 2 + (article + clause) % 3), 1, 1, "Plain").replace("</w:pPr>", '<w:spacing w:after="120"/></w:pPr>', 1))
        if article % 4 == 2:
            doc.add(table((5000, 2000, 2060), *[row(cell(a, 5000), cell(p(b, right), 2000), cell(p(c, right), 2060)) for a, b, c in (("Part", "Due", "Sum"), ("First", "1 March", "980.00"), ("Second", "1 July", "980.00"))], style="Banded", look="0420"))
    doc.add(p("Signed:", '<w:keepNext/><w:spacing w:before="400"/>'), table((4530, 4530), row(cell("The holder", 4530), cell("The harbour master", 4530), props='<w:trHeight w:val="1100"/><w:cantSplit/>')))
    doc.save("whole-licence")

    doc = Doc()
    doc.tail = doc.section(foot(doc, "Harbour rules"))
    doc.numbering = numbers
    doc.add(p("Harbour rules", style="Title"), p(prose(1, 3)))
    for chapter in range(1, 11):
        doc.add(p(f"Chapter {chapter}", '<w:pageBreakBefore/>' if chapter % 4 == 0 else "", "Heading1"), p(prose(chapter, 2), '<w:jc w:val="both"/>'))
        for part in range(1, 4):
            doc.add(p(f"Of the {('quay', 'yard', 'crane')[part - 1]}", style="Heading2"), p(prose(chapter * 10 + part, 4), '<w:jc w:val="both"/>'), p(prose(chapter * 17 + part, 3), '<w:ind w:left="567" w:right="567"/>', "Serif"))
        doc.add(*[item(prose(chapter * 5 + n, 1), 1, 1) for n in range(3)])
    doc.save("whole-rules")

    doc = Doc()
    rel = doc.picture("mark.png", 120, 60)
    head = doc.edge("header", p(t("Brackwater Quay Yard\t\tSurvey report RC-2031"), style="Header"))
    doc.tail = doc.section(head + foot(doc, "Femke Achterberg"))
    doc.add(p("Survey report", style="Title"), p(prose(4, 3)))
    for finding in range(1, 13):
        doc.add(p(f"{finding}. {('Rot', 'Rust', 'Blisters', 'Wear')[finding % 4]} at frame {finding * 2}", style="Heading2"), p(prose(finding * 2, 2)))
        doc.add(p(inline(finding * 2, 150, 75, pic(finding * 2, rel, 150, 75)) + t("  ") + inline(finding * 2 + 1, 150, 75, pic(finding * 2 + 1, rel, 150, 75))))
        doc.add(table((1500, 5200, 2360), *[row(cell(a, 1500), cell(b, 5200), cell(p(c, right), 2360)) for a, b, c in (("Hours", prose(finding, 1), f"{finding * 37}.50"), ("Parts", "as the builder's list says", f"{finding * 12}.00"))]))
    doc.save("whole-report")

    doc = Doc()
    doc.tail = doc.section(foot(doc, "Invoice 2026-0418"))
    doc.add(p("Brackwater Quay", style="Plain"), p("4 Slipway Lane", style="Plain"), p("Brackwater BQ1 1AA", '<w:spacing w:after="500"/>', "Plain"), p("Invoice 2026-0418", style="Heading1"), p(t("Number\t2026-0418"), '<w:tabs><w:tab w:val="left" w:pos="2268"/></w:tabs>', "Plain"), p(t("Due\t31 December 2026"), '<w:tabs><w:tab w:val="left" w:pos="2268"/></w:tabs><w:spacing w:after="200"/>', "Plain"))
    lines = [row(cell(f"{n}", 700), cell(CLAUSES[n % len(CLAUSES)][:70].rstrip() if n % 3 else "Shore power", 5000), cell(p(f"{n % 5 + 1}", right), 1200), cell(p(f"{n * 41}.25", right), 2160), props="<w:cantSplit/>") for n in range(1, 41)]
    doc.add(table((700, 5000, 1200, 2160), row(*[cell(p(t(c, "<w:b/>")), w) for c, w in zip(("No", "Item", "Count", "Sum"), (700, 5000, 1200, 2160))], props="<w:tblHeader/>"), *lines, style="Banded", look="0420"))
    doc.add(*[p(t(f"{words}\t{amount}"), '<w:tabs><w:tab w:val="decimal" w:pos="8500"/></w:tabs>', "Plain") for words, amount in (("Net", "33,825.00"), ("VAT 19 %", "6,426.75"), ("Total", "40,251.75"))], p(prose(9, 2), '<w:spacing w:before="300"/>'))
    doc.save("whole-invoice")

    # All of it on the same pages, in other fonts than the rest of the corpus.
    doc = Doc()
    bullets = '<w:abstractNum w:abstractNumId="1">' + levels(("bullet", "–", 425, 425, "")) + '</w:abstractNum><w:num w:numId="2"><w:abstractNumId w:val="1"/></w:num>'
    doc.numbering = numbers.replace("<w:num ", bullets.split("<w:num ")[0] + "<w:num ", 1) + "<w:num " + bullets.split("<w:num ")[1]
    small = '<w:rFonts w:ascii="Arial" w:hAnsi="Arial"/><w:sz w:val="20"/>'
    body = lambda words, before=0: p(t(words, small), f'<w:spacing w:before="{before}" w:after="120" w:line="264" w:lineRule="auto"/>')
    head = lambda words: doc.edge("header", p(t(words, small), style="Header"))
    first = doc.edge("header", p(t("Brackwater Quay", "<w:b/>" + small), '<w:jc w:val="center"/>'), "first")
    edges = f'{first}{head(chr(9) + chr(9) + "Yard handbook")}{foot(doc, "Winter 2026")}'
    rel = doc.picture("crane.png", 160, 120)
    drop = '<w:keepNext/><w:framePr w:dropCap="drop" w:lines="2" w:hSpace="60" w:wrap="around" w:vAnchor="text" w:hAnchor="text"/><w:spacing w:after="0" w:line="506" w:lineRule="exact"/>'
    doc.add(p("Yard handbook", style="Title"), body(prose(2, 3)))
    for chapter in range(1, 7):
        doc.add(p(f"{chapter}. The {('slip', 'crane', 'shed', 'dock', 'fuel berth', 'winter')[chapter - 1]}", style="Heading1"))
        opening = prose(chapter * 13, 5)
        if chapter % 2:
            # Its opening stands beside a large letter.
            doc.add(p(t(opening[0], '<w:rFonts w:ascii="Arial" w:hAnsi="Arial"/><w:position w:val="-3"/><w:sz w:val="62"/>'), drop), body(opening[1:]))
        else:
            side = at("H", "column", 0 if chapter % 4 else 320)
            doc.add(p(anchor(chapter, 130, 97, pic(chapter, rel, 130, 97), side, at("V", "paragraph", 0), '<wp:wrapSquare wrapText="bothSides"/>') + t(opening, small), '<w:spacing w:after="120" w:line="264" w:lineRule="auto"/>'))
        doc.add(p("Before", style="Heading2"), *[item(prose(chapter + n, 1), 2).replace("</w:pPr>", '<w:spacing w:after="60"/></w:pPr>', 1) for n in range(3)])
        doc.add(p(t(prose(chapter * 3, 2), small) + (doc.note(prose(chapter + 5, 1)) if chapter == 1 else "") + t(" " + prose(chapter * 4, 2), small), '<w:spacing w:after="120"/><w:jc w:val="both"/>'))
        rates = [row(cell(a, 4000), cell(p(b, right), 2500), cell(p(f"{chapter * n * 17}.50", right), 2560)) for n, (a, b) in enumerate((("Up to eight metres", "a day"), ("Up to twelve", "a day"), ("Beyond", "by the hour")), 1)]
        doc.add(p("Rates", "<w:keepNext/>", "Heading2"), table((4000, 2500, 2560), row(*[cell(p(t(c, "<w:b/>")), w) for c, w in (("Vessel", 4000), ("Counted", 2500), ("Rate", 2560))], props="<w:tblHeader/>"), *rates, style="Banded", look="0420"), body(prose(chapter * 6, 4), 160))
        if chapter == 4:
            wide = A4.replace('w:w="11906" w:h="16838"', 'w:w="16838" w:h="11906" w:orient="landscape"')
            doc.add(p("", f"<w:sectPr>{edges}{A4}<w:titlePg/></w:sectPr>"), p("The year on one page", style="Heading2"))
            doc.add(table([2333] * 6, *[row(*[cell(("Month", "Slip", "Crane", "Shed", "Dock", "Fuel")[c] if r == 0 else f"{('January', 'April', 'July', 'October')[r - 1]}" if c == 0 else prose(r + c, 1).split(";")[0][:48], 2333) for c in range(6)]) for r in range(5)]))
            doc.add(p("", f"<w:sectPr>{wide}</w:sectPr>"))
    doc.tail = doc.section()
    doc.save("whole-handbook")


if __name__ == "__main__":
    for make in (text, paragraphs, lists, tables, pages, drawings, whole, offices):
        make()
    print(len(list(HERE.glob("*.docx"))), "files")
