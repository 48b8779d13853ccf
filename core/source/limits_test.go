package source

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"path/filepath"
	"strings"
	"testing"

	"lastblock/core/format/decode"
	"lastblock/core/format/sheet"
	"lastblock/core/large/inorder"
)

const (
	sheetStart = `<worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><sheetData><row r="1"><c r="A1" t="inlineStr"><is><t>k</t></is></c></row><row r="2"><c r="A2" t="inlineStr"><is>`
	sheetEnd   = `</is></c></row></sheetData></worksheet>`
	odsStart   = `<office:document-content xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0" xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0"><office:body><office:spreadsheet><table:table table:name="S">`
	odsEnd     = `</table:table></office:spreadsheet></office:body></office:document-content>`
)

// bookOf makes a workbook of one sheet.
func bookOf(t *testing.T, content string) string {
	t.Helper()
	return string(zipOf(t, map[string]string{
		"_rels/.rels":                `<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="r1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/officeDocument" Target="xl/workbook.xml"/></Relationships>`,
		"xl/workbook.xml":            `<workbook xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main" xmlns:r="http://schemas.openxmlformats.org/officeDocument/2006/relationships"><sheets><sheet name="S" sheetId="1" r:id="r1"/></sheets></workbook>`,
		"xl/_rels/workbook.xml.rels": `<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="r1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/worksheet" Target="worksheets/sheet1.xml"/></Relationships>`,
		"xl/worksheets/sheet1.xml":   content,
	}))
}

// A document cannot take more memory or time than a text may: what is too long for a
// record, in one piece or in many, is an error before it is held.
func TestCellsAreNoLongerThanRecords(t *testing.T) {
	long := strings.Repeat("ab", 1<<20) // twice what a record may have here
	for name, content := range map[string]string{
		"one text.xlsx": bookOf(t, sheetStart+"<t>"+long+"</t>"+sheetEnd),
		"many pieces.xlsx": bookOf(t, sheetStart+strings.Repeat("<r><t>"+strings.Repeat("ab", 1<<9)+"</t></r>",
			1<<11)+sheetEnd),
		"one text.ods": string(zipOf(t,
			map[string]string{"content.xml": odsStart + "<table:table-row><table:table-cell><text:p>" + long +
				"</text:p></table:table-cell></table:table-row>" + odsEnd})),
		"repeated cell.ods": string(zipOf(t,
			map[string]string{"content.xml": odsStart +
				`<table:table-row><table:table-cell table:number-columns-repeated="16000"><text:p>` + long[:1<<10] +
				"</text:p></table:table-cell></table:table-row>" + odsEnd})),
		"an attribute.ods": string(zipOf(t,
			map[string]string{"content.xml": odsStart + `<table:table-row><table:table-cell x="` + long +
				`"/></table:table-row>` + odsEnd})),
	} {
		path := filepath.Join(folder(t, map[string]string{name: content}), name)
		set, err := Find(context.Background(), Search{Paths: []string{path}})
		if err == nil {
			err = set.Scan(context.Background(), Reading{Jobs: 1, Memory: 1 << 20},
				func() Visitor { return visitFunc(func(*Batch) {}) })
		}
		var tooLong *sheet.TooLongError
		if !errors.As(err, &tooLong) || !strings.Contains(err.Error(), "raise ⟨memory⟩") {
			t.Errorf("%s: error is %v", name, err)
		}
	}
	name := "repeated row.ods"
	path := filepath.Join(folder(t, map[string]string{name: string(zipOf(t, map[string]string{
		"content.xml": odsStart + `<table:table-row table:number-rows-repeated="1000000"><table:table-cell><text:p>` +
			long[:1<<19] + "</text:p></table:table-cell></table:table-row>" + odsEnd,
	}))}), name)
	if _, err := read(path, Manner{}); !errors.Is(err, sheet.ErrNoRow) {
		t.Errorf("%s: error is %v", name, err)
	}
}

// Keys that are values make no table, and are told before they take all memory.
func TestKeysThatAreValues(t *testing.T) {
	var text strings.Builder
	for i := range 100_002 {
		fmt.Fprintf(&text, "{\"D%06d\":1}\n", i)
	}
	path := filepath.Join(folder(t, map[string]string{"x.jsonl": text.String()}), "x.jsonl")
	if _, err := read(path, Manner{}); err == nil ||
		!strings.Contains(err.Error(), "100001 different keys, and a result has at most 100000 columns") {
		t.Errorf("error is %v", err)
	}
}

// An archive whose entries share their bytes, or that unpacks to a thousand times its size
// all in all, is refused before anything is unpacked.
func TestArchivesThatAreNone(t *testing.T) {
	once := zipOf(t, map[string]string{"a.csv": "k,v\na,1\n"})
	end := len(once) - 22
	directory := once[binary.LittleEndian.Uint32(once[end+16:]):end]
	overlapping := append(bytes.Clone(once[:end-len(directory)]), bytes.Repeat(directory, 3)...)
	for i := range 3 { // a.csv, b.csv, c.csv
		at := end - len(directory) + i*len(directory) + 46
		overlapping[at] += byte(i)
	}
	closing := bytes.Clone(once[end:])
	binary.LittleEndian.PutUint16(closing[8:], 3)
	binary.LittleEndian.PutUint16(closing[10:], 3)
	binary.LittleEndian.PutUint32(closing[12:], uint32(3*len(directory)))
	overlapping = append(overlapping, closing...)
	if _, err := zip.NewReader(bytes.NewReader(overlapping), int64(len(overlapping))); err != nil {
		t.Fatal(err)
	}
	path := filepath.Join(folder(t, map[string]string{"x.zip": string(overlapping)}), "x.zip")
	if _, err := read(path, Manner{}); !errors.Is(err, decode.ErrOverlap) {
		t.Errorf("overlapping: error is %v", err)
	}
	many := make(map[string]string)
	for i := range 4 {
		many[fmt.Sprintf("%d.csv", i)] = strings.Repeat("\n", 70<<20)
	}
	path = filepath.Join(folder(t, map[string]string{"x.zip": string(zipOf(t, many))}), "x.zip")
	var bomb *decode.BombError
	if _, err := read(path, Manner{}); !errors.As(err, &bomb) {
		t.Errorf("together too large: error is %v", err)
	}
}

// What a small packed file unpacks to is given away in parts, in its order.
func TestPartsOfATask(t *testing.T) {
	files := make(map[string]string)
	var want strings.Builder
	for i := range 3 {
		var text strings.Builder
		text.WriteString("k\n")
		for n := range 200_000 {
			fmt.Fprintf(&text, "%d-%06d some words\n", i, n)
			if n%10_000 == 0 {
				fmt.Fprintf(&want, "%d-%06d some words\n", i, n)
			}
		}
		files[fmt.Sprintf("%d.csv.gz", i)] = zipped(t, text.String())
	}
	set, err := Find(context.Background(), Search{Paths: []string{folder(t, files)}})
	if err != nil {
		t.Fatal(err)
	}
	var out bytes.Buffer
	longest := 0
	ordered := inorder.NewWriter(writeFunc(func(p []byte) { longest = max(longest, len(p)); out.Write(p) }), 8)
	if err := set.Scan(context.Background(), Reading{Jobs: 3, Memory: 1 << 26},
		func() Visitor { return &parting{ordered: ordered} }); err != nil {
		t.Fatal(err)
	}
	var got strings.Builder
	n := 0
	for line := range strings.Lines(out.String()) {
		if n%10_000 == 0 {
			got.WriteString(line)
		}
		n++
	}
	if n != 600_000 || got.String() != want.String() || longest > partBytes+1<<20 {
		t.Errorf("%d records in pieces of up to %d bytes, %.200q", n, longest, got.String())
	}
}

type writeFunc func(p []byte)

func (f writeFunc) Write(p []byte) (int, error) { f(p); return len(p), nil }

// parting writes the records of its batches.
type parting struct {
	ordered *inorder.Writer
	out     []byte
}

func (p *parting) Batch(b *Batch) error {
	for row := range b.Batch.Rows {
		p.out = append(append(p.out, b.Raw(row)...), '\n')
	}
	return nil
}

func (p *parting) Part(ctx context.Context, task int) (err error) {
	p.out, err = p.ordered.Part(ctx, task, p.out)
	return err
}

func (p *parting) Flush(ctx context.Context, task int) (err error) {
	p.out, err = p.ordered.Deliver(ctx, task, p.out)
	return err
}
