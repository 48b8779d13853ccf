"""Makes the files in this folder with the usual Python libraries, so that the
readers are tested on what other programs write:

    apt-get install python3-openpyxl python3-xlsxwriter python3-odf python3-xlwt libreoffice-calc-nogui \
        imagemagick xz-utils bsdextrautils r-base-core zstd
    python3 make.py

Files called office.* were opened and saved by an office program.

All of them hold the same five records where they can.
"""
import datetime
import os
import pickle
import sqlite3
import subprocess
import tempfile

import odf.opendocument
import odf.style
import odf.table
import odf.text
import openpyxl
import openpyxl.utils.datetime
import openpyxl.worksheet.table
import xlsxwriter
import xlwt

RECORDS = [
    # document, account as a number formatted 00000, posted, debit, credit, barcode
    ("D1", 417, datetime.date(2031, 1, 3), 1234.5, None, 4006381333931),
    ("D2", 40000, datetime.date(2031, 1, 31), 0.1 + 0.2, None, 4006381333932),
    ("D3", 5, datetime.date(2031, 2, 28), None, 99.99, 4006381333933),
    ("D4", 417, datetime.date(2031, 3, 1), -12, 0, 4006381333934),
    ("D5", 417, datetime.date(2031, 12, 31), 1e6, None, 4006381333935),
]


def with_openpyxl():
    """A preamble, a header of two rows with merged cells, hidden cells, a second
    sheet, a table, a name, an error and a formula without its result."""
    book = openpyxl.Workbook()
    sheet = book.active
    sheet.title = "Journal"
    sheet.append(["Dunmarrow Ropeway"])
    sheet.append(["Journal", "printed 2031-04-02"])
    sheet.append([])
    sheet.append(["document", "account", "posted", "amount", None, "barcode"])
    sheet.append([None, None, None, "debit", "credit", None])
    sheet.merge_cells("D4:E4")
    for record in RECORDS:
        sheet.append(record)
        sheet.cell(sheet.max_row, 2).number_format = "00000"
        sheet.cell(sheet.max_row, 4).number_format = "#,##0.00"
    sheet.append(["D6", 417, datetime.datetime(2031, 12, 31, 13, 45), "=1+1", None, 1])
    sheet.append(["D7", 417, datetime.date(2031, 12, 31), "#REF!", None, 1])
    sheet.cell(sheet.max_row, 4).data_type = "e"
    sheet.row_dimensions[7].hidden = True
    sheet.column_dimensions["F"].hidden = True
    rates = book.create_sheet("Rates & more")
    rates.append(["note"])
    rates.append([None, "currency", "rate"])
    rates.append([None, "BRC", 1.25])
    rates.append([None, "DUN", 0.8])
    rates.append([None, "Total", 2.05])
    rates.add_table(openpyxl.worksheet.table.Table(displayName="rates", ref="B2:C4"))
    book.defined_names.append(openpyxl.workbook.defined_name.DefinedName("first_rate", attr_text="'Rates & more'!$B$2:$C$3"))
    book.create_sheet("Empty").sheet_state = "hidden"
    book.save("openpyxl.xlsx")


def with_openpyxl_1904():
    book = openpyxl.Workbook()
    book.epoch = openpyxl.utils.datetime.CALENDAR_MAC_1904
    sheet = book.active
    sheet.append(["posted", "n"])
    sheet.append([datetime.date(2031, 1, 3), 1])
    sheet.append([datetime.date(1904, 1, 2), 2])
    book.save("epoch1904.xlsx")


def with_xlsxwriter():
    """Records in shared and in rich texts, many rows, booleans, blank rows and
    texts that look like something else."""
    book = xlsxwriter.Workbook("xlsxwriter.xlsx")
    sheet = book.add_worksheet("Data")
    code, day, bold = book.add_format({"num_format": "00000"}), book.add_format({"num_format": "dd/mm/yyyy"}), book.add_format({"bold": True})
    for column, name in enumerate(["document", "account", "posted", "debit", "credit", "barcode", "note", "ok"]):
        sheet.write(0, column, name, bold)
    for row, record in enumerate(RECORDS, 1):
        document, account, posted, debit, credit, barcode = record
        sheet.write_string(row, 0, document)
        sheet.write_number(row, 1, account, code)
        sheet.write_datetime(row, 2, datetime.datetime.combine(posted, datetime.time()), day)
        if debit is not None:
            sheet.write_number(row, 3, debit)
        if credit is not None:
            sheet.write_number(row, 4, credit)
        sheet.write_number(row, 5, barcode)
        sheet.write_string(row, 6, ["00417", "1E5", "a\nb", '"q",', " x "][row - 1])
        sheet.write_boolean(row, 7, row % 2 == 1)
    sheet.write_rich_string(7, 0, "D", bold, "6")
    sheet.write_formula(7, 3, "=SUM(1,2)", None, 3)
    sheet.write_formula(7, 6, '="a"&"b"', None, "ab")
    book.close()


def with_odfpy():
    """The same as an OpenDocument sheet, with repeated cells and rows, and a
    million blank rows at the end, as the usual programs write them."""
    book = odf.opendocument.OpenDocumentSpreadsheet()
    table = odf.table.Table(name="Journal")
    book.spreadsheet.addElement(table)
    table.addElement(odf.table.TableColumn(numbercolumnsrepeated=3))
    table.addElement(odf.table.TableColumn(visibility="collapse"))

    def row(cells, **attributes):
        element = odf.table.TableRow(**attributes)
        for cell in cells:
            element.addElement(cell)
        table.addElement(element)

    def text(value, **attributes):
        cell = odf.table.TableCell(valuetype="string", **attributes)
        for line in value.split("\n"):
            cell.addElement(odf.text.P(text=line))
        return cell

    def number(value, shown=None, **attributes):
        if value is None:
            return odf.table.TableCell(**attributes)
        cell = odf.table.TableCell(valuetype="float", value=repr(value), **attributes)
        cell.addElement(odf.text.P(text=shown or str(value)))
        return cell

    def date(value):
        cell = odf.table.TableCell(valuetype="date", datevalue=value.isoformat())
        cell.addElement(odf.text.P(text=value.strftime("%d.%m.%y")))
        return cell

    row([text("Eskerby Ropeway")])
    row([odf.table.TableCell(numbercolumnsrepeated=1024)], numberrowsrepeated=2)
    row([text(name) for name in ["document", "account", "posted"]] + [text("amount", numbercolumnsspanned=2), odf.table.CoveredTableCell(), text("barcode")])
    row([odf.table.TableCell(numbercolumnsrepeated=3), text("debit"), text("credit")])
    for document, account, posted, debit, credit, barcode in RECORDS:
        row([text(document), number(account, "%05d" % account), date(posted), number(debit), number(credit), number(barcode, "4.00638E+12")])
    row([text("D6"), number(417, "00417"), date(datetime.date(2031, 12, 31)), number(7, numbercolumnsrepeated=2), number(1)], numberrowsrepeated=3)
    broken = odf.table.TableCell(valuetype="string", formula="of:=1/0")
    broken.addElement(odf.text.P(text="#DIV/0!"))
    row([text("D7"), number(417, "00417"), date(datetime.date(2031, 12, 31)), broken, number(None), number(1)])
    row([odf.table.TableCell(numbercolumnsrepeated=1024)], numberrowsrepeated=1048000)
    book.save("odfpy.ods")


def with_xlwt():
    book = xlwt.Workbook()
    book.add_sheet("Journal").write(0, 0, "document")
    book.save("xlwt.xls")

# what a number is called, its value, its format, and what is to be read
SHOWN = [
    ("code", 417, "00000", "00417"),
    ("code, text in front", 417, '"K-"00000', "K-00417"),
    ("code, text between", 417, '000"/"00', "004/17"),
    ("code, dash between", 41705, "000-00", "417-05"),
    ("code, text behind", 417, '00000"X"', "00417X"),
    ("code, letter in front", 417, "\\K00000", "K00417"),
    ("code, blank between", 4170502, "000\\ 0000", "417 0502"),
    ("code, negative", -417, '"K-"00000', "-K-00417"),
    ("code, too long", 1234567, '"K-"0000', "K-1234567"),
    ("code, computed", "=400+17", '"K-"00000', "K-00417"),
    ("code, of two conditions", 417, '"K-"00000;"M-"00000', "K-00417"),
    ("phone number", 5551234, "(000) 0000", "(555) 1234"),
    ("one digit", 417, '"K"0', "417"),
    ("amount with currency", 1234.5, '#,##0.00" EUR"', "1234.5"),
    ("amount in thousands", 1234, '#,##0" T"', "1234"),
    ("percent", 0.125, "0.0%", "0.125"),
    ("zero as a dash", 0, '_-* #,##0.00_-;-* #,##0.00_-;_-* "-"??_-;_-@_-', "0"),
    ("pieces", 12, '0" pcs"', "12"),
    ("fraction", 0.5, "# ?/?", "0.5"),
    ("exponent", 1234567, "0.00E+00", "1234567"),
    ("truth", True, "General", "true"),
    ("truth, computed", "=1=1", "General", "true"),
    ("number shown as a word", "=1-1", '"yes";"yes";"no"', "0"),
    ("duration", datetime.timedelta(hours=36, minutes=5, seconds=7), "[h]:mm:ss", "36:05:07"),
    ("duration in minutes", datetime.timedelta(minutes=95), "[mm]:ss", "01:35:00"),
    ("duration of two days", datetime.timedelta(days=2), "[h]:mm", "48:00:00"),
    ("duration, negative", -1.5 / 24, "[h]:mm:ss", "-01:30:00"),
    ("time", datetime.time(13, 45), "h:mm", "13:45:00"),
    ("time with half a second", 0.5 + 0.75 / 86400, "hh:mm:ss.00", "12:00:01"),
    ("date", datetime.date(2031, 1, 31), "dd.mm.yy", "2031-01-31"),
    ("date and time", datetime.datetime(2031, 1, 31, 13, 45, 6), "yyyy-mm-dd hh:mm", "2031-01-31 13:45:06"),
    ("month", datetime.date(2031, 1, 31), "mmmm yyyy", "2031-01-31"),
    ("text", "00417", "@", "00417"),
    ("number formatted as text", 417, "@", "417"),
]


def with_office():
    """The same table as a workbook and as an OpenDocument sheet, saved by an office program."""
    book = openpyxl.Workbook()
    sheet = book.active
    sheet.title = "Shown"
    sheet.append(["what", "value", "read as"])
    for what, value, shown, want in SHOWN:
        sheet.append([what, value, want])
        sheet.cell(sheet.max_row, 2).number_format = shown
    with tempfile.TemporaryDirectory() as folder:
        path = os.path.join(folder, "office.xlsx")
        book.save(path)
        for ending in ["ods", "xlsx"]:
            subprocess.run(["soffice", "headless", "convert-to", ending, "outdir", ".", path], check=True)


def foreign():
    """Files that hold no text, each under the name of a journal."""
    os.makedirs("foreign", exist_ok=True)
    subprocess.run(["convert", "-size", "4x4", "xc:red", "png:foreign/png.csv"], check=True)
    subprocess.run(["convert", "-size", "4x4", "xc:red", "jpeg:foreign/jpeg.csv"], check=True)
    with open("foreign/xz.csv", "wb") as out:
        subprocess.run(["xz", "-c"], input=b"document,debit\nD1,5\n" * 20, stdout=out, check=True)
    with open("foreign/pickle.csv", "wb") as out:
        pickle.dump({"document": ["D1"], "debit": [5.0]}, out)
    with sqlite3.connect("foreign/database.csv") as database:
        database.execute("create table journal (document text)")


TABLE = "posted;text;debit\n2031-03-01;day pass;5.00\n2031-03-02;season pass;12.25\n2031-03-03;;0.50\n"


def columns():
    """Text whose columns stand one below another, as the usual program for that makes them,
    and a table with the names of its rows, as a statistics program writes it."""
    with open("column.txt", "w") as out:
        subprocess.run(["column", "-t", "-s", ";"], input=TABLE.replace("pass;", "pass ;").replace(";;", "; ;"), stdout=out, text=True, check=True)
    with open("blanks.txt", "w") as out:
        subprocess.run(["column", "-t", "-s", ";"], input=TABLE.replace(" pass", "").replace(";;", ";-;"), stdout=out, text=True, check=True)
    for program, ending in [("zstd", "zst"), ("gzip", "gz"), ("bzip2", "bz2")]:
        with open("packed.csv." + ending, "wb") as out:
            subprocess.run([program, "-c"], input=TABLE.encode(), stdout=out, check=True)
    subprocess.run(["Rscript", "-e", "d <- data.frame(posted=c('2031-03-01','2031-03-02'), debit=c(5,12.25), row.names=c('D1','D2')); "
                    "write.table(d, 'rownames.csv', sep=',', quote=FALSE); write.table(d, 'rownames.txt')"], check=True)


with_openpyxl()
with_openpyxl_1904()
with_xlsxwriter()
with_odfpy()
with_xlwt()
with_office()
foreign()
columns()
