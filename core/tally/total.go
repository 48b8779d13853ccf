package tally

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"lastblock/core/finding"
	"lastblock/core/finding/drop"
	"lastblock/core/finding/suspense"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/core/value/amount"

	"github.com/zeebo/xxh3"
)

// tellTotalLines tells of the lines that sum up records above them and were left out.
func (s *Source) tellTotalLines(add func(finding.Finding)) {
	slices.SortFunc(s.set.seldom().totalLines, func(a, b source.TotalLine) int { return cmp.Compare(a.Line, b.Line) })
	for _, line := range s.set.seldom().totalLines {
		text := fmt.Sprintf("%q is a total line; left out, it agrees with the records in %s", line.Word,
			strings.Join(line.Columns, ", "))
		if line.Columns == nil {
			text = fmt.Sprintf("%q is what a result says of itself; left out, as it is no record", line.Word)
		}
		add(finding.Finding{Kind: finding.TotalLine, Line: line.Line, Found: line.Word, Message: text})
	}
}

// isDoubtful tells whether a line may be a total line that is off.
func (v *Visitor) isDoubtful(b *source.Batch, line int) bool {
	return slices.ContainsFunc(b.Doubtful, func(d source.DoubtfulTotal) bool { return d.Line == line })
}

// doubt puts a line into suspense that may be a total line or a record, unless somebody
// has decided what it is.
func (v *Visitor) doubt(b *source.Batch, entry *Source, d *source.DoubtfulTotal) {
	src := &v.tally.set.Sources[b.Index]
	f := finding.Finding{Kind: finding.TotalOrRecord, Source: src.Name, Sheet: src.Sheet(), Order: b.Index,
		Line: d.Line, Found: d.Word}
	var raw []byte
	row, refused := -1, -1
	if i := slices.IndexFunc(b.Refused, func(r record.Refusal) bool { return r.Line == d.Line }); i >= 0 {
		raw, refused = slices.Clone(b.Refused[i].Raw), i
	} else if row = rowOn(b, d.Line); row >= 0 {
		raw = slices.Clone(b.Raw(row))
	} else {
		return // it was left out
	}
	f.Record = xxh3.Hash(raw)
	print := drop.Print{Meant: f.Record, Sent: f.Record}
	if row >= 0 {
		print = PrintOf(&v.print, b, row, &v.scratch)
	}
	f.Places = []finding.Place{{Letter: finding.Letter(0), Source: src.Name, Sheet: src.Sheet(), Line: d.Line,
		Print: print.String()}}
	f.Message = doubtMessage(d, row >= 0)
	if len(d.Off) == 1 {
		off := &d.Off[0]
		f.Column, f.Expected, f.Found, f.Difference = off.Column, off.Found.String(), off.Stated.String(),
			off.Stated.Sub(off.Found).String()
	}
	v.Findings.Add(f)
	if row >= 0 && v.tally.options.Drop.Keeps(&f) {
		return
	}
	if row >= 0 {
		v.giveRow(&b.Batch, row, Suspended, string(f.Kind))
		v.readAside(b, entry, row)
		b.Own()
		b.Without(row)
	} else {
		v.giveRefused(b, refused, Suspended, string(f.Kind))
		entry.set.noneRead()
	}
	entry.Suspense++
	v.suspense.Add(suspense.Entry{Reason: f.Kind, Source: src.Name, Line: d.Line, Column: f.Column,
		Found: []byte(d.Word), Record: raw})
}

// readAside adds the amounts of a record that goes into suspense, as far as they are some.
func (v *Visitor) readAside(b *source.Batch, entry *Source, row int) {
	for i, column := range v.columns {
		if column < 0 {
			continue
		}
		switch value, err := amount.Parse(b.Text(row, column, &v.scratch), b.DecimalOf(column)); err {
		case nil:
			v.read[i].Add(value)
			entry.set.totals[i].Add(value)
		case amount.ErrBlank:
		default:
			entry.set.unread[i]++
		}
	}
}

// noneRead notes that no amount of a record that goes into suspense can be read.
func (a *aside) noneRead() {
	for i := range a.unread {
		a.unread[i]++
	}
}

// rowOn is the row of the record that starts on a line, -1 for none.
func rowOn(b *source.Batch, line int) int {
	for row := range b.Batch.Rows {
		if b.Line(row) == line {
			return row
		}
	}
	return -1
}

// doubtMessage gives both readings of a line.
func doubtMessage(d *source.DoubtfulTotal, isRecord bool) string {
	var off []string
	for _, o := range d.Off {
		off = append(off, fmt.Sprintf("%s in %s (it says %s, the records above it come to %s)",
			o.Stated.Sub(o.Found).Money(), o.Column, o.Stated.Money(), o.Found.Money()))
	}
	text := fmt.Sprintf("%q is a total line that cannot be checked, or a record", d.Word)
	if off != nil {
		text = fmt.Sprintf("%q is a total line that is off by %s, or a record", d.Word, strings.Join(off, ", by "))
	}
	if !isRecord {
		return text + " with fields missing; in suspense: decide ⟨drop⟩ A leaves it out"
	}
	return text + "; in suspense until that is decided: decide ⟨drop⟩ A leaves it out, decide ⟨keep⟩ or " +
		"⟨no-total-line⟩ counts it"
}
