"""Reads what Lastblock writes and compares it cell by cell with what was to be written:
texts, codes, amounts, dates, flags, blanks, several sheets and the filter."""
import csv
import datetime
import decimal
import gzip
import io
import json
import os
import subprocess
import sys

import openpyxl

program = sys.argv[1]
COLUMNS = ["doc", "text", "amount", "posted", "open"]
Amount, Date = decimal.Decimal, datetime.date
ROWS = [
    ("00417", "plain", Amount("1234.50"), Date(2031, 1, 31), "true"),
    ("00418", 'with "quotes", a comma and a ; too', Amount("-0.05"), Date(2028, 2, 29), "false"),
    ("00419", "Grüße, ñ, 北, 🙂", None, Date(2031, 12, 31), "true"),
    ("00420", "=1+1", Amount("1000000"), None, "false"),
    ("00421", "two\nlines", Amount("0.30"), Date(1999, 1, 1), "true"),
    ("00422", None, Amount("99999999999.99"), Date(2031, 3, 1), "false"),
]


def run(*args, code=0):
    done = subprocess.run([program, *args], capture_output=True, text=True)
    assert done.returncode == code, (args, done.returncode, done.stderr)
    return done.stdout


def same(what, got, typed):
    """Compares rows; typed tells that amounts and dates have a type of their own."""
    def cell(value):
        if value in (None, ""):
            return None
        if isinstance(value, bool):
            return str(value).lower()
        if isinstance(value, datetime.datetime):
            return value.date()
        if isinstance(value, float):
            return Amount(repr(value))
        if isinstance(value, int):
            return Amount(value)
        return value

    assert len(got) == len(ROWS), (what, "rows", len(got))
    for n, (row, want) in enumerate(zip(got, ROWS)):
        for column, have, value in zip(COLUMNS, map(cell, row), want):
            if not typed and value is not None and column == "amount":
                assert isinstance(have, str), (what, n, column, have)
                have = Amount(have)
            if not typed and value is not None and column == "posted":
                value = value.isoformat()
            assert have == value, (what, n, column, have, value)
    print(f"{what}: {len(got)} rows of {len(COLUMNS)} columns are as written")


with open("source.csv", "w", newline="", encoding="utf-8") as f:
    w = csv.writer(f)
    w.writerow(COLUMNS)
    for row in ROWS:
        w.writerow(["" if v is None else v for v in row])


def collate(name):
    run("collate", "source.csv", "--bare", "--total", "amount", "--out", name)
    return name


def csv_rows(text, delimiter=","):
    rows = list(csv.reader(io.StringIO(text, newline=""), delimiter=delimiter))
    assert rows[0] == COLUMNS, rows[0]
    return rows[1:]


def records(objects):
    assert all(list(o) == COLUMNS for o in objects), objects[0]
    return [list(o.values()) for o in objects]


def text(name):
    with open(name, encoding="utf-8", newline="") as f:
        return f.read()


same(".csv", csv_rows(text(collate("a.csv"))), False)
same(".tsv", csv_rows(text(collate("a.tsv")), "\t"), False)
same(".json", records(json.loads(text(collate("a.json")))), False)
same(".jsonl", records([json.loads(line) for line in text(collate("a.jsonl")).splitlines()]), False)
with gzip.open(collate("a.csv.gz"), "rt", encoding="utf-8", newline="") as f:
    same(".csv.gz", csv_rows(f.read()), False)
same(".csv.zst", csv_rows(subprocess.run(["zstd", "-dc", collate("b.csv.zst")], capture_output=True, check=True).stdout.decode()), False)

for read_only in (True, False):
    book = openpyxl.load_workbook(collate(f"a{read_only}.xlsx"), read_only=read_only)
    rows = [list(r) for r in book["Records"].iter_rows(values_only=True)]
    assert rows[0] == COLUMNS, rows[0]
    same(f".xlsx, read-only {read_only}", rows[1:], True)
table = next(iter(book["Records"].tables.values()))
assert table.ref == "A1:E7" and table.autoFilter is not None, table.ref
cell = book["Records"]["C2"]
assert cell.number_format == "#,##0.00" and book["Records"]["E5"].data_type == "b", (cell.number_format, book["Records"]["E5"].data_type)

parquet = subprocess.run(["node", "readback.mjs", collate("a.parquet")], capture_output=True, text=True)
assert parquet.returncode == 0, parquet.stderr
same(".parquet", records(json.loads(parquet.stdout)), False)

# several sheets: the two sides of a reconciliation, and many rows in read-only mode
with open("other.csv", "w", newline="", encoding="utf-8") as f:
    f.write("doc,amount\n00417,1234.50\n00430,7\n")
with open("long.csv", "w", encoding="utf-8") as f:
    f.write("doc,amount\n" + "".join(f"{n:06d},{n}.25\n" for n in range(300_000)))
run("collate", "long.csv", "--bare", "--total", "amount", "--out", "long.xlsx")
sheet = openpyxl.load_workbook("long.xlsx", read_only=True)["Records"]
count, total = 0, Amount(0)
for doc, value in sheet.iter_rows(min_row=2, values_only=True):
    assert doc == f"{count:06d}", (count, doc)
    count, total = count + 1, total + Amount(repr(value))
assert (count, total) == (300_000, Amount(300_000 * 299_999 // 2) + Amount("0.25") * 300_000), (count, total)
print(f"long.xlsx: {count} rows, which come to {total}")
run("reconcile", "source.csv", "--against", "other.csv", "--key", "doc", "--total", "amount", "--out", "both.xlsx", code=1)
book = openpyxl.load_workbook("both.xlsx", read_only=True)
counts = {}
for sheet in book:
    rows = list(sheet.iter_rows(values_only=True))
    assert all(len(r) == len(rows[0]) for r in rows), (sheet.title, rows)
    counts[sheet.title] = len(rows) - 1
# 00417 is on both sides, the five others are only here, and 00430 is only there
want = {"differs": 0, "only-here": 5, "only-there": 1, "ambiguous": 0, "agrees": 1}
assert counts.pop("Statement") > 0 and counts == want, counts
print("both.xlsx:", counts)
for name in [n for n, rows in want.items() if rows]:  # a table has a row at the least
    sheet = openpyxl.load_workbook("both.xlsx")[name]
    table = next(iter(sheet.tables.values()))
    assert table.ref == sheet.dimensions and table.autoFilter is not None, (name, table.ref, sheet.dimensions)

# an office program's conversion of all sheets to CSV, its values as they are stored
all_sheets = "csv:Text - txt - csv (StarCalc):44,34,76,1,,0,false,false,false,false,false,-1"
subprocess.run(["soffice", "-env:UserInstallation=file://" + os.getcwd() + "/office", "--headless", "--convert-to", all_sheets, "--outdir", "sheets", "aTrue.xlsx", "both.xlsx"],
               check=True, capture_output=True, timeout=300)


def sheet_rows(name):
    with open(f"sheets/{name}.csv", encoding="utf-8", newline="") as f:
        return list(csv.reader(f))


rows = sheet_rows("aTrue-Records")
assert rows[0] == COLUMNS, rows[0]
truths = {"1": "true", "0": "false"}
same("the office program's CSV of .xlsx", [row[:4] + [truths[row[4]]] for row in rows[1:]], False)
for name, count in want.items():
    rows = sheet_rows(f"both-{name}")
    assert len(rows) == count + 1 and all(len(r) == len(rows[0]) for r in rows), (name, rows)
by_doc = {row[rows[0].index("doc")]: row for rows in [sheet_rows("both-only-here")] for row in rows[1:]}
here = sheet_rows("both-only-here")[0]
for doc, text_of, amount, posted, _ in ROWS[1:]:
    row = dict(zip(here, by_doc[doc]))
    assert row["text"] == (text_of or "") and row["posted"] == (posted.isoformat() if posted else ""), (doc, row)
    assert row["amount"] == "" if amount is None else Amount(row["amount"]) == amount, (doc, row)
statement = {row[0]: row[1:] for row in sheet_rows("both-Statement")}
assert Amount(statement["total per records"][1]) == sum(r[2] for r in ROWS if r[2] is not None), statement
print("both.xlsx, by the office program:", {name: len(sheet_rows(f"both-{name}")) - 1 for name in want})

# grids: formulas over few and very many sheets, with names that have to be quoted, recalculated without what is stored
import re
import zipfile


def recalculated(name):
    """The first sheet of a workbook as the office program reckons it, where no result of a formula is stored."""
    bare = "bare-" + name
    with zipfile.ZipFile(name) as old, zipfile.ZipFile(bare, "w") as new:
        for part in old.infolist():
            data = old.read(part)
            if part.filename == "xl/worksheets/sheet1.xml":
                assert b"<f>" in data, name
                data = re.sub(rb"(</f>)<v>[^<]*</v>", rb"\1", data)
            new.writestr(part, data)
    first_sheet = "csv:Text - txt - csv (StarCalc):44,34,76,1,,0,false,false,false,false,false,1"
    subprocess.run(["soffice", "-env:UserInstallation=file://" + os.getcwd() + "/office", "--headless", "--convert-to", first_sheet, "--outdir", "grids", bare],
                   check=True, capture_output=True, timeout=300)
    [made] = [f for f in os.listdir("grids") if f.startswith(bare[:-5])]
    with open("grids/" + made, encoding="utf-8", newline="") as f:
        return list(csv.reader(f))


for count in (3, 400):
    folder = f"forms{count}"
    os.mkdir(folder)
    sums = {}
    for n in range(count):
        with open(f"{folder}/it's no. {n}_2031.csv", "w", encoding="utf-8") as f:
            f.write("Line,Q1,Q2\n")
            for k, line in enumerate(["Wages", "Rent"]):
                figures = [Amount(n * 7 + k) + Amount("0.25"), Amount(n - k)]
                f.write(f"{line},{figures[0]},{figures[1]}\n")
                sums[line] = [a + b for a, b in zip(sums.get(line, [0, 0]), figures)]
    name = folder + ".xlsx"
    run("overlay", folder, "--name", "{entity}_{period}", "--out", name, "--formulas")
    rows = recalculated(name)
    assert rows[0] == ["Line", "Q1", "Q2"], rows[0]
    assert {row[0]: [Amount(v) for v in row[1:]] for row in rows[1:]} == sums, (rows, sums)
    book = openpyxl.load_workbook(name, data_only=True)
    assert {r[0]: [Amount(repr(v)) for v in r[1:]] for r in book["Sum"].iter_rows(min_row=2, values_only=True)} == sums
    gave = list(book["Contributions"].iter_rows(min_row=2, values_only=True))
    assert len(gave) == count * 4 and sum(Amount(repr(r[-1])) for r in gave) == sum(sum(v) for v in sums.values())
    one = [list(r) for r in book["it's no. 2"].iter_rows(min_row=2, values_only=True)]
    assert one == [["Wages", 14.25, 2], ["Rent", 15.25, 1]], one
    print(f"{name}: {len(book.sheetnames)} sheets, the sums are those of the formulas and of what {count} forms gave")

# the pack of a month end: numbers, dates, names of totals, links that lead to what comes to their figure, and no formula
subprocess.run([program, "demo", "month"], check=True, capture_output=True, timeout=300)
run("report", "--plan", "month/close/lastblock.toml", "--block", "4", "--out", "pack.xlsx")
said = json.loads(run("report", "--plan", "month/close/lastblock.toml", "--block", "4", "--json"))
book = openpyxl.load_workbook("pack.xlsx")
assert all(c.data_type != "f" for sheet in book for row in sheet.iter_rows() for c in row)
for summary in said["summaries"]:
    sheet = book["Summary " + summary["name"]]
    width = len(summary["by"])
    for row, line in zip(sheet.iter_rows(min_row=4), summary["lines"]):
        sums = [c for c in row[width:] if c.value is not None][: -1]
        want = [v for cell in line.get("cells") or [] for v in cell or []] + line["sums"]
        assert [Amount(repr(c.value)) for c in sums] == [Amount(v) for v in want], (row, line)
        for cell, value in zip(sums, want):
            if Amount(value) == 0:
                continue # to which nobody gave anything
            to = re.fullmatch(r"'From sources'!A(\d+)", cell.hyperlink.location)
            gave, at, figure = Amount(0), int(to[1]), None
            while figure in (None, book["From sources"].cell(at, 2).value):
                figure = book["From sources"].cell(at, 2).value
                gave, at = gave + Amount(repr(book["From sources"].cell(at, 6).value)), at + 1
            assert gave == Amount(value), (sheet.title, cell.coordinate, gave, value)
names = {of.name: list(of.destinations) for of in book.defined_names.definedName if of.name.startswith("total_")}
[(of, cell)] = names["total_by_account_debit"]
assert Amount(repr(book[of][cell].value)) == Amount(said["figures"]["totals"]["debit"])
for sheet in book:
    assert sheet.page_setup.orientation == "landscape" and sheet.sheet_properties.pageSetUpPr.fitToPage, sheet.title
os.mkdir("packs")
subprocess.run(["soffice", "-env:UserInstallation=file://" + os.getcwd() + "/office", "--headless", "--convert-to", all_sheets, "--outdir", "packs", "pack.xlsx"],
               check=True, capture_output=True, timeout=300)
assert len(os.listdir("packs")) == len(book.sheetnames), (os.listdir("packs"), book.sheetnames)
with open("packs/pack-Sources.csv", encoding="utf-8", newline="") as f:
    rows = list(csv.reader(f))
assert {row[0]: row[-1] for row in rows[3:] if len(row[-1]) == 64} == {s["source"]: s["sha256"] for s in said["sources"]}
print(f"pack.xlsx: {len(book.sheetnames)} sheets, {len(names)} totals with names, each figure leads to what comes to it")
