package ods

import (
	"fmt"
	"strings"
	"testing"

	"lastblock/core/format/sheet"
)

func (p *parts) said() string {
	return fmt.Sprintf(
		"%d %v %q %q %q %v %d %q %d",
		p.kind,
		p.isError,
		p.value,
		p.day,
		p.styleName,
		p.formula,
		p.repeated,
		p.shown,
		p.paragraphs,
	)
}

// slowly reads a cell by the tokens of the scanner.
func slowly(text string) (string, error) {
	const names = `<x xmlns:table="t" xmlns:office="o" xmlns:calcext="c" xmlns:text="p">`
	r := rows{scanner: sheet.NewScanner(strings.NewReader(names+text+"</x>"), "file", ErrTruncated, 1<<20)}
	for range 2 {
		if _, err := r.scanner.Next(); err != nil {
			return "", err
		}
	}
	r.noteMerged(1)
	err := r.readCell()
	if len(r.merged) > 0 {
		return "merged", err
	}
	return r.cell.said(), err
}

// What is read the quick way is what the scanner reads, and the usual spellings are read so.
func FuzzQuickCell(f *testing.F) {
	for _, text := range []string{
		`<table:table-cell office:value-type="float" office:value="1.5"><text:p>1.50</text:p></table:table-cell>`,
		`<table:table-cell/>`, `<table:table-cell table:style-name="ce1" table:number-columns-repeated="16384"/>`,
		`<table:table-cell office:value-type="string" calcext:value-type="string"><text:p>it's > that</text:p></table:table-cell>`,
		`<table:table-cell table:formula="of:=[.A1]" office:value-type="currency" office:currency="EUR" office:value="7">` +
			`<text:p>7</text:p></table:table-cell>`,
		`<table:table-cell office:value-type="date" office:date-value="2031-01-02"><text:p>2</text:p></table:table-cell>`,
	} {
		var p parts
		if n := p.read([]byte(text + "<table")); n != len(text) {
			f.Errorf("%s is not read the quick way", text)
		}
		f.Add(text)
	}
	for _, text := range []string{
		`<table:table-cell table:number-columns-spanned="2"/>`, `<table:covered-table-cell/>`, `<t:table-cell/>`,
		`<table:table-cell><text:p>a</text:p><text:p>b</text:p></table:table-cell>`,
		`<table:table-cell><text:p>&amp;</text:p></table:table-cell>`, `<table:table-cell office:value='1'/>`,
		`<table:table-cell office:value="1" office:value="2"/>`, `<table:table-cell office:value="1&#48;"/>`,
		`<table:table-cell><text:p>cut off</text:p></table:table-c`, `<table:table-cells/>`,
		`<table:table-cell><text:p><text:s/></text:p></table:table-cell>`, `<table:table-cell a="1"/>`,
	} {
		var p parts
		if n := p.read([]byte(text)); n != 0 {
			f.Errorf("%s is read the quick way", text)
		}
		f.Add(text)
	}
	f.Fuzz(func(t *testing.T, text string) {
		var p parts
		n := p.read([]byte(text))
		if n == 0 {
			return
		}
		want, err := slowly(text[:n])
		if got := p.said(); err != nil || got != want {
			t.Fatalf("%q is read as %s, and by the scanner as %s, %v", text, got, want, err)
		}
	})
}
