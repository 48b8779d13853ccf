package demo

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"encoding/xml"
	"fmt"
	"strings"
	"time"

	"github.com/xuri/excelize/v2"
	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
)

// planText is the demo's plan: what has to be said of the seven shapes, and
// nothing that is found out anyway.
const planText = `# The first quarter of 2031 of Larkspur Ropeways.
version = 1

[read]
paths = ["journals"]
name = "{entity}_{period}"
as = ["posted=date", "debit=amount", "credit=amount"]
` + shapesText + `
[tieout]
total = ["debit", "credit"]
declared = "control.csv"
roster = "companies.csv"
periods = "2031-01..2031-03"
balance = "debit=credit"
balance-by = "document"
sequence = "document"
inside-period = "posted"
allowed = "account=accounts.csv#code"
rule = "debit < 9000 && credit < 9000"
rule-name = "from 9,000 on somebody looks twice"

[collate]
total = ["debit", "credit"]

[rollup]
by = ["currency", "entity"]
sum = "debit"
across = "period"
`

// aprilText is the plan of the month that has just arrived, in which some things
// came twice.
const aprilText = `# April 2031 of Larkspur Ropeways, as it arrived.
version = 1

[read]
paths = ["journals"]
name = "{entity}_{period}*"
as = ["posted=date", "debit=amount", "credit=amount"]
make = ["net=debit-credit"]
` + shapesText + `
[doubles]
total = ["debit", "credit"]
overlap-share = "25%"
key = ["document", "line"]
near = [
  "document:1, posted:3d, account:same, counterparty:same, net:same",
  "account:same, counterparty:same, text:same, net:opposite",
]

[collate]
total = ["debit", "credit"]

[rollup]
by = ["currency", "entity"]
sum = "debit"
`

// shapesText are the shapes that companies send.
const shapesText = `
# Corvane writes German, in a code page of its own. The decimal comma is found
# by itself.
[[read.shape]]
match = "corvane_*"
encoding = "windows-1252"
rename = [
  "Beleg=document", "Zeile=line", "Datum=posted", "Konto=account", "Gegenpartei=counterparty",
  "Text=text", "Soll=debit", "Haben=credit", "Währung=currency",
]

# Eskerby sends sheets whose header has two rows, with "amount" over both of its
# columns; a workbook, and from March on an OpenDocument sheet.
[[read.shape]]
match = "eskerby_*"
header-lines = 2
rename = ["amount debit=debit", "amount credit=credit"]

# Fallowmere sent JSON until February, with both amounts in one object.
[[read.shape]]
match = "fallowmere_*.json"
rename = ["amount.debit=debit", "amount.credit=credit"]
`

// write writes a journal in its company's shape, badly where a value that does not convert is planted.
func write(c *company, period string, journal []record, planted bool) file {
	path := "journals/" + c.name + "_" + period
	columns := c.columns
	if c.name == "brackenfell" && period == "2031-03" { // planted: a column more in one month
		columns = append(columns[:len(columns):len(columns)], "season")
	}
	var rows [][]string
	badly := planted && c.name == "fallowmere" && period == "2031-02"
	for _, r := range journal {
		row := c.fields(r, columns)
		if debit := len(columns) - 3; badly && r.debit > 0 {
			row[debit] = letterO(row[debit])
			badly = false
		}
		rows = append(rows, row)
	}
	names := make([]string, len(columns))
	for i, column := range columns {
		if names[i] = column; c.names[column] != "" {
			names[i] = c.names[column]
		}
	}
	title := strings.ToUpper(c.name[:1]) + c.name[1:] + " Ropeway"
	switch {
	case c.name == "corvane":
		return file{path + ".csv", encoded(delimitedText(names, rows, ";"), charmap.Windows1252.NewEncoder())}
	case c.name == "dunmarrow":
		return file{path + ".txt", encoded(delimitedText(names, rows, "\t"),
			unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewEncoder())}
	case c.name == "eskerby" && period == "2031-03":
		return file{path + ".ods", openDocument(title, names, rows)}
	case c.name == "eskerby":
		return file{path + ".xlsx", workbook(title, names, rows)}
	case c.name == "fallowmere" && period == "2031-03":
		return file{path + ".csv", pasted(names, rows, journal)}
	case c.name == "fallowmere":
		return file{path + ".json", objects(title, names, rows)}
	}
	return file{path + ".csv", delimitedText(names, rows, ",")}
}

// fields are the texts of a record, by column.
func (c *company) fields(r record, columns []string) []string {
	day, err := time.Parse(time.DateOnly, r.posted)
	if err != nil {
		panic(err) // the demo's own dates
	}
	text := r.text
	if c.texts[text] != "" {
		text = c.texts[text]
	}
	values := map[string]string{
		"document": r.document, "line": fmt.Sprint(r.line), "posted": day.Format(c.day), "account": r.account,
		"counterparty": r.counterparty, "text": text, "debit": c.money(r.debit), "credit": c.money(r.credit),
		"currency": c.currency, "season": "winter",
	}
	var row []string
	for _, column := range columns {
		row = append(row, values[column])
	}
	return row
}

func delimitedText(names []string, rows [][]string, delimiter string) string {
	var b strings.Builder
	for _, row := range append([][]string{names}, rows...) {
		for i, field := range row {
			if i > 0 {
				b.WriteString(delimiter)
			}
			if strings.Contains(field, delimiter) {
				field = `"` + field + `"`
			}
			b.WriteString(field)
		}
		b.WriteByte('\n')
	}
	return b.String()
}

func encoded(text string, encoder *encoding.Encoder) string {
	out, err := encoder.String(text)
	if err != nil {
		panic(err) // the demo's own texts
	}
	return out
}

// pasted is what somebody put together from two halves: the header stands again
// in the middle, and a total line at the end.
func pasted(names []string, rows [][]string, journal []record) string {
	half := len(rows) / 2
	var debit, credit int64
	for _, r := range journal {
		debit += r.debit
		credit += r.credit
	}
	total := make([]string, len(names))
	total[0] = "Total"
	total[len(names)-3], total[len(names)-2] = trailing(debit), trailing(credit)
	first := delimitedText(names, rows[:half], ",")
	return first + delimitedText(names, append(rows[half:len(rows):len(rows)], total), ",")
}

// objects is JSON: the records in an object, and their amounts in one within.
func objects(title string, names []string, rows [][]string) string {
	type amounts struct {
		Debit  string `json:"debit"`
		Credit string `json:"credit"`
	}
	var b bytes.Buffer
	fmt.Fprintf(&b, "{\n  \"company\": %q,\n  \"rows\": [", title)
	for i, row := range rows {
		if i > 0 {
			b.WriteByte(',')
		}
		b.WriteString("\n    {")
		var both amounts
		for k, name := range names {
			switch name {
			case "debit":
				both.Debit = row[k]
				continue
			case "credit":
				both.Credit = row[k]
				fmt.Fprintf(&b, "\"amount\": %s, ", mustJSON(both))
				continue
			}
			fmt.Fprintf(&b, "%q: %s", name, mustJSON(row[k]))
			if k < len(names)-1 {
				b.WriteString(", ")
			}
		}
		b.WriteByte('}')
	}
	b.WriteString("\n  ]\n}\n")
	return b.String()
}

func mustJSON(value any) []byte {
	text, err := json.Marshal(value)
	if err != nil {
		panic(err) // texts alone
	}
	return text
}

// headings are the two rows of Eskerby's header: "amount" stands over both of
// its columns.
func headings(names []string) (upper, lower []string, from int) {
	for i, name := range names {
		switch name {
		case "credit":
			from = i
			upper, lower = append(upper, "amount"), append(lower, name)
		case "debit":
			upper, lower = append(upper, ""), append(lower, name)
		default:
			upper, lower = append(upper, name), append(lower, "")
		}
	}
	return upper, lower, from
}

// workbook is a workbook with a title above its header. Accounts are numbers
// that are shown with their zeros, and dates are dates.
func workbook(title string, names []string, rows [][]string) string {
	must := func(err error) {
		if err != nil {
			panic(err) // the demo's own cells
		}
	}
	book := excelize.NewFile()
	defer book.Close()
	const sheet = "Journal"
	must(book.SetSheetName("Sheet1", sheet))
	style := func(format string) int {
		id, err := book.NewStyle(&excelize.Style{CustomNumFmt: &format})
		must(err)
		return id
	}
	styles := map[string]int{"account": style("00000"), "posted": style("dd/mm/yyyy"), "debit": style("#,##0.00"),
		"credit": style("#,##0.00")}
	upper, lower, from := headings(names)
	for i, row := range [][]string{{title}, {"Journal, printed 02/04/2031"}, {}, upper, lower} {
		for k, text := range row {
			must(book.SetCellValue(sheet, cell(k, i), text))
		}
	}
	must(book.MergeCell(sheet, cell(from, 3), cell(from+1, 3)))
	for i, row := range rows {
		for k, text := range row {
			at := cell(k, i+5)
			var value any = text
			switch names[k] {
			case "line", "account":
				var number int
				_, err := fmt.Sscan(strings.TrimLeft(text, "0"), &number)
				must(err)
				value = number
			case "debit", "credit":
				var number float64
				_, err := fmt.Sscan(text, &number)
				must(err)
				value = number
			case "posted":
				day, err := time.Parse(time.DateOnly, text)
				must(err)
				value = day
			}
			must(book.SetCellValue(sheet, at, value))
			if id, ok := styles[names[k]]; ok {
				must(book.SetCellStyle(sheet, at, at, id))
			}
		}
	}
	var out bytes.Buffer
	must(book.Write(&out))
	return out.String()
}

func cell(column, row int) string { return fmt.Sprintf("%c%d", 'A'+column, row+1) }

// openDocument is the same as an OpenDocument sheet, with the many blank rows
// at its end that the usual programs write.
func openDocument(title string, names []string, rows [][]string) string {
	var b strings.Builder
	b.WriteString(`<?xml version="1.0" encoding="UTF-8"?>` + "\n" +
		`<office:document-content xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0" xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0" office:version="1.3"><office:body><office:spreadsheet><table:table table:name="Journal">`)
	text := func(s, attributes string) {
		if s == "" {
			b.WriteString(`<table:table-cell/>`)
			return
		}
		b.WriteString(`<table:table-cell office:value-type="string"` + attributes + `><text:p>`)
		if err := xml.EscapeText(&b, []byte(s)); err != nil {
			panic(err) // a builder takes everything
		}
		b.WriteString(`</text:p></table:table-cell>`)
	}
	number := func(value, shown string) {
		fmt.Fprintf(&b, `<table:table-cell office:value-type="float" office:value="%s"><text:p>%s</text:p></table:table-cell>`, value, shown)
	}
	row := func(cells func()) {
		b.WriteString(`<table:table-row>`)
		cells()
		b.WriteString(`</table:table-row>`)
	}
	upper, lower, from := headings(names)
	row(func() { text(title, "") })
	row(func() { text("Journal, printed 02/04/2031", "") })
	b.WriteString(`<table:table-row><table:table-cell table:number-columns-repeated="1024"/></table:table-row>`)
	row(func() {
		for i, name := range upper {
			switch i {
			case from:
				text(name, ` table:number-columns-spanned="2"`)
			case from + 1:
				b.WriteString(`<table:covered-table-cell/>`)
			default:
				text(name, "")
			}
		}
	})
	row(func() {
		for _, name := range lower {
			text(name, "")
		}
	})
	for _, fields := range rows {
		row(func() {
			for k, field := range fields {
				switch names[k] {
				case "line", "debit", "credit":
					number(field, field)
				case "account":
					number(strings.TrimLeft(field, "0"), field)
				case "posted":
					fmt.Fprintf(&b, `<table:table-cell office:value-type="date" office:date-value="%s"><text:p>%s</text:p></table:table-cell>`, field, field)
				default:
					text(field, "")
				}
			}
		})
	}
	b.WriteString(`<table:table-row table:number-rows-repeated="1048000"><table:table-cell table:number-columns-repeated="1024"/></table:table-row>`)
	b.WriteString(`</table:table></office:spreadsheet></office:body></office:document-content>` + "\n")
	return archive([]file{
		{"mimetype", "application/vnd.oasis.opendocument.spreadsheet"},
		{"META-INF/manifest.xml", `<?xml version="1.0" encoding="UTF-8"?>` + "\n" +
			`<manifest:manifest xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0" manifest:version="1.3"><manifest:file-entry manifest:full-path="/" manifest:media-type="application/vnd.oasis.opendocument.spreadsheet"/><manifest:file-entry manifest:full-path="content.xml" manifest:media-type="text/xml"/></manifest:manifest>` + "\n"},
		{"content.xml", b.String()},
	})
}

// packMonths puts the journals of a company into one zip file.
func packMonths(all []file, name string) []file {
	var months, others []file
	for _, f := range all {
		if below, ok := strings.CutPrefix(f.path, "journals/"+name); ok {
			months = append(months, file{name + below, f.content})
		} else {
			others = append(others, f)
		}
	}
	return append(others, file{"journals/" + name + ".zip", archive(months)})
}

// archive is a zip file. The first entry is stored as it is, which is how an
// OpenDocument file shows what it is.
func archive(files []file) string {
	var out bytes.Buffer
	w := zip.NewWriter(&out)
	for i, f := range files {
		method := zip.Deflate
		if i == 0 {
			method = zip.Store
		}
		entry, err := w.CreateHeader(&zip.FileHeader{Name: f.path, Method: method,
			Modified: time.Date(2031, 4, 2, 8, 0, 0, 0, time.UTC)})
		if err == nil {
			_, err = entry.Write([]byte(f.content))
		}
		if err != nil {
			panic(err) // a buffer takes everything
		}
	}
	if err := w.Close(); err != nil {
		panic(err)
	}
	return out.String()
}
