"""Makes the files in this folder with the usual Python libraries, so that the
readers are tested on what other programs write:

    apt-get install python3-openpyxl python3-xlsxwriter python3-odf python3-xlwt
    python3 make.py

All of them hold the same five records where they can.
"""
import datetime

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


with_openpyxl()
with_openpyxl_1904()
with_xlsxwriter()
with_odfpy()
with_xlwt()
