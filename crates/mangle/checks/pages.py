"""Compares Mangle's pages with those of an independent office renderer.

    pages.py PROGRAM REPORT [FOLDER ...]

Every DOCX of the folders (the corpus when none is named) is rendered by both; each
page is compared by its lines (those that begin and end with the same words), by how
far its words lie from one another, by the fonts of its words, and as a picture. The
report is a table in Markdown. Files that either can't take are told as not made. Where
no office renderer is installed, it says so and changes nothing.
"""

import re
import shutil
import subprocess
import sys
import tempfile
import zipfile
import zlib
from collections import Counter
from concurrent.futures import ThreadPoolExecutor
from difflib import SequenceMatcher
from pathlib import Path
from statistics import median

from pdfminer.high_level import extract_pages
from pdfminer.layout import LAParams, LTAnno, LTChar, LTContainer
from PIL import Image, ImageChops, ImageStat

CORPUS = Path(__file__).parents[2] / "documents" / "tests" / "corpus"
# Files of the corpus on which the renderer is no measure, and why.
OTHERWISE = {
    "lists-legal": "legal numbers in figures (17.9.4) are not shown as such",
    "page-endnotes": "endnotes stand on a page of their own instead of behind the text (17.11.4)",
    "table-fit": "tables that fit their content keep the widths that were saved (17.4.52)",
    "drawing-chart": "a chart that can't be drawn has another label",
    "paragraph-drop-margin": "a drop cap for the margin stands in the text",
    "drawing-shapes": "a line that a box cuts off unseen is in its PDF all the same",
}
# The renderer joins letters and draws pairs of them together (ligatures, kerning)
# where a document does not ask for it, so that lines are shorter. It does not where the
# name of a font says so; these are its stand-ins.
APART = {
    font: f"{own}:-liga&amp;-kern"
    for font, own in {
        "Calibri": "Carlito",
        "Cambria": "Caladea",
        "Arial": "Liberation Sans",
        "Times New Roman": "Liberation Serif",
        "Courier New": "Liberation Mono",
    }.items()
}
BATCH = 40  # how many files one start of the renderer takes
PATIENCE = 120  # how many seconds it may take for one file
NEAR = 2.0  # how far the middle word of a page may lie from its place, in points
TALL = 60  # the least share of a word's height by which words are on one line, in percent


def plain(word):
    """A word without what only its encoding tells: signs of symbol fonts, kinds of
    hyphens."""
    return "".join("•" if "\ue000" <= c <= "\uf8ff" else "-" if c in "\u2010\u2011" else c for c in word if c != "\u00ad")


def apart(signs):
    """A word's signs, parted where signs lead to a tab stop: these are no words."""
    text = "".join(c.get_text() if len(c.get_text()) == 1 else "x" for c in signs)
    at = 0
    for leader in re.finditer(r"[._]{4,}", text):
        yield signs[at : leader.start()]
        at = leader.end()
    yield signs[at:]


def words(pdf):
    """Pages of words: text, left, height, right, how far down the line that they stand
    on is, in points, and their font."""
    pages = []
    for page in extract_pages(str(pdf), laparams=LAParams(boxes_flow=None)):
        found, word = [], []

        def end():
            for signs in filter(None, apart(word)):
                first, last = signs[0], signs[-1]
                text = plain("".join(c.get_text() for c in signs))
                if text:
                    font = first.fontname.split("+")[-1].removesuffix("-Regular")
                    found.append((text, first.x0, first.size, last.x1, page.height - first.matrix[5], font))
            word.clear()

        def walk(item):
            if isinstance(item, LTChar):
                # What is turned stands on no line.
                if item.get_text().isspace() or abs(item.matrix[1]) > 0.01:
                    end()
                else:
                    word.append(item)
            elif isinstance(item, LTAnno):
                end()
            elif isinstance(item, LTContainer):
                end()
                for inner in item:
                    walk(inner)
                end()

        walk(page)
        pages.append(found)
    return pages


def beside(word, other):
    """Whether a word stands right before or behind another."""
    return min(abs(word[1] - other[3]), abs(other[1] - word[3])) < word[2]


def lines(page):
    """Words grouped by the line that they stand on."""
    found = []
    # A hyphen that its font sets apart is no word.
    for word in sorted((w for w in page if w[0] != "-"), key=lambda w: (w[4], w[1])):
        for line in reversed(found[-6:]):
            away = abs(line[-1][4] - word[4])
            # Raised and lowered words stand on the line of those beside them.
            if away < 1.0 or (away < word[2] * TALL / 100 and any(beside(word, other) for other in line)):
                line.append(word)
                break
        else:
            found.append([word])
    ordered = [sorted(line, key=lambda w: w[1]) for line in found]
    # A word that is parted has its hyphen as a sign in one file and as a mark in another.
    return Counter((line[0][0], line[-1][0].rstrip("-")) for line in ordered)


def matched(ours, theirs):
    """The words that both have."""
    match = SequenceMatcher(None, [w[0] for w in ours], [w[0] for w in theirs], autojunk=False)
    for a, b, size in match.get_matching_blocks():
        for at in range(size):
            yield ours[a + at], theirs[b + at]


def distance(one, two):
    """How far a word lies from its place in the other file."""
    return ((one[1] - two[1]) ** 2 + (one[4] - two[4]) ** 2) ** 0.5


def with_letters_apart(file, copy):
    """Makes a copy of a DOCX whose fonts don't join letters; gives whether it is one."""
    try:
        with zipfile.ZipFile(file) as source, zipfile.ZipFile(copy, "w", zipfile.ZIP_DEFLATED) as out:
            for name in source.namelist():
                content = source.read(name)
                if name.endswith(".xml"):
                    for font, apart in APART.items():
                        content = content.replace(f'"{font}"'.encode(), f'"{apart}"'.encode())
                out.writestr(name, content)
    except (zipfile.BadZipFile, zipfile.LargeZipFile, NotImplementedError, RuntimeError, EOFError, OSError, zlib.error) as error:
        print(f"{file}: no document: {error}", file=sys.stderr)
        copy.unlink(missing_ok=True)
        return False
    return True


def render(office, home, files, target):
    """Renders files, many for each start. What a start leaves out, as it stumbled over
    one of them, is given to it one by one."""

    def start(some):
        command = [office, f"-env:UserInstallation=file://{home}", "--headless", "--convert-to", "pdf", "--outdir", str(target)]
        try:
            subprocess.run([*command, *map(str, some)], capture_output=True, timeout=PATIENCE + 5 * len(some))
        except subprocess.TimeoutExpired:
            pass
        return [f for f in some if not (target / f"{f.stem}.pdf").exists()]

    for at in range(0, len(files), BATCH):
        left = start(files[at : at + BATCH])
        for file in left:
            start([file])


def pictures(pdf, folder, name):
    target = folder / name
    subprocess.run(["pdftoppm", "-r", "50", "-gray", str(pdf), str(target)], check=True)
    return sorted(folder.glob(f"{name}-*.pgm"), key=lambda f: int(f.stem.rsplit("-", 1)[1]))


def difference(one, two):
    a, b = Image.open(one), Image.open(two)
    if a.size != b.size:
        b = b.resize(a.size)
    return ImageStat.Stat(ImageChops.difference(a, b)).mean[0] / 255 * 100


def compare(ours, theirs, folder, name):
    rows = []
    mine, other = words(ours), words(theirs)
    shown = list(zip(pictures(ours, folder, f"{name}-a"), pictures(theirs, folder, f"{name}-b")))
    for number in range(max(len(mine), len(other))):
        if number >= len(mine) or number >= len(other):
            rows.append((0.0, None, 100.0, 0.0))
            continue
        a, b = lines(mine[number]), lines(other[number])
        all_lines = max(sum(a.values()), sum(b.values()))
        same = sum((a & b).values()) / all_lines if all_lines else 1.0
        both = list(matched(mine[number], other[number]))
        far = median(distance(one, two) for one, two in both) if both else 0.0
        fonts = sum(one[5] == two[5] for one, two in both) / max(len(both), 1)
        rows.append((same, far, difference(*shown[number]), fonts))
    return len(mine), len(other), rows


def main():
    program, report, folders = sys.argv[1], Path(sys.argv[2]), [Path(f) for f in sys.argv[3:]] or [CORPUS]
    office = shutil.which("soffice")
    if not office:
        sys.exit("no office renderer is installed; the report stays as it is")
    files = sorted(f for folder in folders for f in ([folder] if folder.is_file() else folder.rglob("*.docx")))
    with tempfile.TemporaryDirectory() as made:
        made = Path(made)
        for folder in ("own", "apart", "ours", "theirs"):
            (made / folder).mkdir()
        # Numbers, as files of several folders may have one name.
        numbered = {file: f"{number:05}" for number, file in enumerate(files)}
        apart = []
        for file, number in numbered.items():
            shutil.copyfile(file, made / "own" / f"{number}.docx")
            copy = made / "apart" / f"{number}.docx"
            if with_letters_apart(file, copy):
                apart.append(copy)

        def make():
            subprocess.run([program, "pages", "--out", str(made / "ours"), *sorted(map(str, (made / "own").iterdir()))], stdout=subprocess.DEVNULL)

        with ThreadPoolExecutor(3) as pool:
            works = [pool.submit(make)]
            works += [pool.submit(render, office, made / f"home-{part}", apart[part::2], made / "theirs") for part in range(2)]
            [work.result() for work in works]

        def one(file):
            pair = [made / side / f"{numbered[file]}.pdf" for side in ("ours", "theirs")]
            missing = [who for who, pdf in zip(("Mangle", "the renderer"), pair) if not pdf.exists()]
            if missing:
                return file, f"not made by {' or by '.join(missing)}"
            try:
                return file, compare(*pair, made, numbered[file])
            except Exception as error:  # a PDF that the reader of it can't take
                return file, f"not compared: {type(error).__name__}"

        with ThreadPoolExecutor(2) as pool:
            results = list(pool.map(one, files))
    table, far = [], []
    # Documents; those on as many pages with every line the same.
    documents = [0, 0]
    # Pages; those with the same lines; those of them whose words are near their place.
    of_all, of_others = [0, 0, 0], [0, 0, 0]
    for file, result in results:
        if isinstance(result, str):
            table.append((0.0, f"| {file.stem} | {result} | | | | |"))
            continue
        ours, theirs, rows = result
        same = [r[0] for r in rows]
        away = [r[1] for r in rows if r[1] is not None]
        counted = [len(rows), sum(1 for s in same if s > 0.999), sum(1 for r in rows if r[0] > 0.999 and r[1] is not None and r[1] < NEAR)]
        of_all = [a + b for a, b in zip(of_all, counted)]
        documents = [documents[0] + 1, documents[1] + (counted[0] == counted[1])]
        if file.stem not in OTHERWISE or file.parent != CORPUS:
            of_others = [a + b for a, b in zip(of_others, counted)]
        far += away
        count = str(ours) if ours == theirs else f"{ours} against {theirs}"
        lowest = sum(same) / len(same) * 100
        mid = median(away) if away else 0.0
        picture = sum(r[2] for r in rows) / len(rows)
        fonts = sum(r[3] for r in rows) / len(rows) * 100
        table.append((lowest - mid, f"| {file.stem} | {count} | {lowest:.0f} % | {mid:.2f} | {fonts:.0f} % | {picture:.2f} % |"))

    def shares(of):
        pages, equal, near = of
        of_pages = lambda count: f"{count} ({count / max(pages, 1) * 100:.0f} %)"
        return f"{of_pages(equal)} have the same lines, {of_pages(near)} of them with the middle word less than {NEAR:.0f} pt from its place"

    told = "; ".join(f"{name}: {why}" for name, why in OTHERWISE.items())
    version = subprocess.run([office, "--version"], capture_output=True, text=True).stdout.split()
    head = [
        "# Pages beside those of an office renderer",
        "",
        f"Made by `make compare` with {' '.join(version[:2])} from Debian's packages, worst first. Lines: the share of lines that begin and end with the same words. Words: how far, in points, the middle one of all words lies from its place there. Fonts: the share of words in the same font. Picture: the mean difference of grey at 50 dots an inch. The renderer is told to keep letters apart: it joins them (ligatures), which ECMA-376 has no word for, and draws pairs together, which a document asks for by 17.3.2.19. It parts words by the dictionaries of hyphen-de and hyphen-en-gb.",
        "",
        f"**Of {of_all[0]} pages {shares(of_all)}. The middle distance over all pages is {median(far) if far else 0:.2f} pt. Of {documents[0]} documents {documents[1]} ({documents[1] / max(documents[0], 1) * 100:.0f} %) have every line the same.**",
        "",
        f"Of the {of_others[0]} pages of files that the renderer does not read otherwise than ECMA-376 says {shares(of_others)}. Set apart for that are {told}.",
        "",
        "| document | pages | same lines | words (pt) | fonts | picture |",
        "|---|---|---|---|---|---|",
    ]
    report.write_text("\n".join(head + [line for _, line in sorted(table)]) + "\n")
    if report != Path("/dev/stdout"):
        print("\n".join(head[4:5] + [line for _, line in sorted(table)]))


if __name__ == "__main__":
    main()
