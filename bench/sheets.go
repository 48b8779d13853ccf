package main

import (
	"archive/zip"
	"bufio"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"path/filepath"
)

// sheets are the works of workbooks and OpenDocument sheets of 300,000 rows of 11 columns, as exports have them.
func sheets() []work {
	tieout := func(name string) []string {
		return []string{"tieout", "DIR/sheets/" + name, "--total", "debit", "--json"}
	}
	return []work{
		{
			name: "tieout, a workbook of 300,000 x 11", make: makeSheets, command: tieout("wide.xlsx"),
			yardstick: "unzip -p DIR/sheets/wide.xlsx xl/worksheets/sheet1.xml | wc -c", wanted: 1.2, memory: 128,
		},
		{
			name: "tieout, the same with shared texts", make: makeSheets, command: tieout("shared.xlsx"),
			yardstick: "unzip -p DIR/sheets/shared.xlsx xl/worksheets/sheet1.xml | wc -c", wanted: 1.5, memory: 160,
		},
		{
			name: "tieout, the same as OpenDocument", make: makeSheets, command: tieout("wide.ods"),
			yardstick: "unzip -p DIR/sheets/wide.ods content.xml | wc -c", wanted: 1.5, memory: 128,
		},
	}
}

var sheetColumns = []string{"document", "line", "posted", "account", "counterparty", "text", "debit", "credit",
	"currency", "unit", "reference"}

const (
	sheetRows   = 300_000
	firstAmount = 6 // of two columns
	sharedTexts = 1000
)

// sheetRow are the texts of a row; those of the columns of amounts are numbers.
func sheetRow(r *rand.Rand, row int) []string {
	return []string{fmt.Sprintf("D%08d", row/4), fmt.Sprint(row%4 + 1), fmt.Sprintf("2031-01-%02d", 1+r.IntN(28)),
		fmt.Sprintf("%05d", 4000+r.IntN(400)), "Corvane", fmt.Sprintf("Day pass, part %d", r.IntN(sharedTexts)),
		fmt.Sprintf("%d.%02d", r.IntN(10_000), r.IntN(100)), "0", "CHF", fmt.Sprintf("U%d", r.IntN(9)),
		fmt.Sprintf("R%d", row)}
}

// makeSheets makes one table three times: with its texts in the cells, with shared ones, and as OpenDocument.
func makeSheets(dir string) error {
	folder := filepath.Join(dir, "sheets")
	return makeOnce(folder, func() error {
		for name, write := range map[string]func(*zip.Writer) error{
			"wide.xlsx": writeInline, "shared.xlsx": writeShared,
			"wide.ods": writeDocument} {
			if err := writeArchive(filepath.Join(folder, name), write); err != nil {
				return err
			}
		}
		return nil
	})
}

func writeArchive(path string, write func(*zip.Writer) error) error {
	file, err := os.Create(path)
	if err != nil {
		return err
	}
	defer file.Close()
	z := zip.NewWriter(file)
	if err := write(z); err != nil {
		return err
	}
	return z.Close()
}

// part writes a part of a workbook.
func part(z *zip.Writer, name string, write func(w *bufio.Writer)) error {
	to, err := z.Create(name)
	if err != nil {
		return err
	}
	w := bufio.NewWriterSize(to, 1<<16)
	io.WriteString(w, `<?xml version="1.0" encoding="UTF-8" standalone="yes"?>`+"\n")
	write(w)
	return w.Flush()
}

const spreadsheet = `xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main" ` +
	`xmlns:r="http://schemas.openxmlformats.org/officeDocument/2006/relationships"`

// writeBook writes the parts that say which sheet there is, and the sheet.
func writeBook(z *zip.Writer, sheet func(w *bufio.Writer)) error {
	const kind = "http://schemas.openxmlformats.org/officeDocument/2006/relationships/"
	relations := func(lines ...string) func(w *bufio.Writer) {
		return func(w *bufio.Writer) {
			io.WriteString(w, `<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships">`)
			for i := 0; i < len(lines); i += 2 {
				fmt.Fprintf(w, `<Relationship Id="rId%d" Type="%s%s" Target="%s"/>`, i/2+1, kind, lines[i], lines[i+1])
			}
			io.WriteString(w, `</Relationships>`)
		}
	}
	for _, of := range []struct {
		name  string
		write func(w *bufio.Writer)
	}{
		{"_rels/.rels", relations("officeDocument", "xl/workbook.xml")},
		{"xl/workbook.xml", func(w *bufio.Writer) {
			fmt.Fprintf(w, `<workbook %s><sheets><sheet name="Journal" sheetId="1" r:id="rId1"/></sheets></workbook>`,
				spreadsheet)
		}},
		{"xl/_rels/workbook.xml.rels", relations("worksheet", "worksheets/sheet1.xml", "sharedStrings",
			"sharedStrings.xml")},
		{"xl/worksheets/sheet1.xml", sheet},
	} {
		if err := part(z, of.name, of.write); err != nil {
			return err
		}
	}
	return nil
}

// writeCells writes the sheet of a workbook, whose texts are written by text.
func writeCells(w *bufio.Writer, text func(w *bufio.Writer, reference, text string)) {
	r := rand.New(rand.NewPCG(2031, 4))
	fmt.Fprintf(w, `<worksheet %s><sheetData>`, spreadsheet)
	for row := range sheetRows + 1 {
		fmt.Fprintf(w, `<row r="%d">`, row+1)
		cells := sheetColumns
		if row > 0 {
			cells = sheetRow(r, row)
		}
		for k, cell := range cells {
			reference := fmt.Sprintf("%c%d", 'A'+k, row+1)
			if row > 0 && (k == firstAmount || k == firstAmount+1) {
				fmt.Fprintf(w, `<c r="%s"><v>%s</v></c>`, reference, cell)
				continue
			}
			text(w, reference, cell)
		}
		io.WriteString(w, "</row>")
	}
	io.WriteString(w, "</sheetData></worksheet>")
}

func writeInline(z *zip.Writer) error {
	return writeBook(z, func(w *bufio.Writer) {
		writeCells(w, func(w *bufio.Writer, reference, text string) {
			fmt.Fprintf(w, `<c r="%s" t="inlineStr"><is><t>%s</t></is></c>`, reference, text)
		})
	})
}

func writeShared(z *zip.Writer) error {
	var texts []string
	numbers := make(map[string]int)
	err := writeBook(z, func(w *bufio.Writer) {
		writeCells(w, func(w *bufio.Writer, reference, text string) {
			n, known := numbers[text]
			if !known {
				n = len(texts)
				numbers[text], texts = n, append(texts, text)
			}
			fmt.Fprintf(w, `<c r="%s" t="s"><v>%d</v></c>`, reference, n)
		})
	})
	if err != nil {
		return err
	}
	return part(z, "xl/sharedStrings.xml", func(w *bufio.Writer) {
		fmt.Fprintf(w, `<sst %s count="%d">`, spreadsheet, len(texts))
		for _, text := range texts {
			fmt.Fprintf(w, "<si><t>%s</t></si>", text)
		}
		io.WriteString(w, "</sst>")
	})
}

func writeDocument(z *zip.Writer) error {
	return part(z, "content.xml", func(w *bufio.Writer) {
		r := rand.New(rand.NewPCG(2031, 4))
		const of = "urn:oasis:names:tc:opendocument:xmlns:"
		fmt.Fprintf(
			w,
			`<office:document-content xmlns:office="%soffice:1.0" xmlns:table="%stable:1.0" xmlns:text="%stext:1.0">`+
				`<office:body><office:spreadsheet><table:table table:name="Journal">`,
			of,
			of,
			of,
		)
		for row := range sheetRows + 1 {
			io.WriteString(w, "<table:table-row>")
			cells := sheetColumns
			if row > 0 {
				cells = sheetRow(r, row)
			}
			for k, cell := range cells {
				if row > 0 && (k == firstAmount || k == firstAmount+1) {
					fmt.Fprintf(
						w,
						`<table:table-cell office:value-type="float" office:value="%s"><text:p>%s</text:p></table:table-cell>`,
						cell,
						cell,
					)
					continue
				}
				fmt.Fprintf(
					w,
					`<table:table-cell office:value-type="string"><text:p>%s</text:p></table:table-cell>`,
					cell,
				)
			}
			io.WriteString(w, "</table:table-row>")
		}
		io.WriteString(w, "</table:table></office:spreadsheet></office:body></office:document-content>")
	})
}
