package tally

import (
	"fmt"
	"slices"
	"strings"

	"lastblock/core/finding"
	"lastblock/core/finding/suspense"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/core/value/words"

	"github.com/zeebo/xxh3"
)

// refuse puts a record into suspense that the reader could not read.
func (v *Visitor) refuse(b *source.Batch, entry *Source, i int) {
	refusal := &b.Refused[i]
	entry.Suspense++
	entry.set.noneRead()
	name := v.tally.set.Sources[b.Index].Name
	f := finding.Finding{Source: name, Sheet: v.tally.set.Sources[b.Index].Sheet(), Order: b.Index, Line: refusal.Line,
		Record: xxh3.Hash(refusal.Raw)}
	switch refusal.Reason {
	case record.FieldCount:
		f.Kind = finding.FieldCount
		f.Expected, f.Found = fmt.Sprint(b.Width), fmt.Sprint(refusal.Fields)
		f.Message = fmt.Sprintf("%s where there are %s; the record is in suspense",
			words.Count(refusal.Fields, "field"), words.Count(b.Width, "column"))
		if v.tally.set.IsRetained(b.Index) { // whose line stands there as one field
			f.Message = "a block has retained this line as one that has no fields; the record is in suspense"
		}
	case record.OpenQuote:
		entry.set.noted().quotes++
		f.Kind = finding.OpenQuote
		f.Message = "a quote opens on this line and is never closed; the line is in suspense, and reading went on " +
			"with the next one"
	case record.StrayQuote:
		entry.set.noted().quotes++
		f.Kind = finding.StrayQuote
		f.Message = "text stands behind a closing quote; the record is in suspense"
	case record.NoResult:
		f.Kind, f.Column, f.Found, f.Expected = finding.BadValue, refusal.Column, string(refusal.Found), "a value"
		f.Message = "the file holds a formula but not its result; open it in a spreadsheet program, save it, and " +
			"read it again; the record is in suspense"
	case record.BadValue:
		f.Kind = finding.BadValue
		f.Column, f.Found, f.Expected = refusal.Column, shorten(refusal.Found), refusal.Wanted
		if f.Expected == "" {
			f.Expected = "a value"
			f.Message = fmt.Sprintf("%q stands where there is no value; the record is in suspense", f.Found)
		} else {
			f.Message = fmt.Sprintf("%q is not %s; the record is in suspense", f.Found, f.Expected)
		}
	}
	v.Findings.Add(f)
	v.giveRefused(b, i, Suspended, whyRefused(f.Kind, refusal.Column))
	v.suspense.Add(suspense.Entry{Reason: f.Kind, Source: name, Line: refusal.Line, Column: refusal.Column,
		Found: refusal.Found, Record: refusal.Raw})
}

// lookAtHead tells what is to be known of a source from its head alone.
func (v *Visitor) lookAtHead(b *source.Batch) {
	src := &v.tally.set.Sources[b.Index]
	add := func(f finding.Finding) {
		f.Source, f.Sheet, f.Order, f.Message = src.Name, src.Sheet(), b.Index, v.tally.set.Addressed(f.Message)
		v.Findings.Add(f)
	}
	head := b.Head
	if head.Above > 0 {
		add(finding.Finding{
			Kind: finding.LinesAbove, Line: head.Line, Count: head.Above,
			Message: fmt.Sprintf("%s above the header left out", words.Count(head.Above, "line")),
		})
	}
	if head.Continues {
		add(finding.Finding{
			Kind: finding.HeaderContinues, Line: head.Line,
			Message: "the first record below the header names columns and holds no value; if it belongs to the " +
				"header, say ⟨header-lines⟩ 2",
		})
	}
	if head.Unproven {
		add(finding.Finding{
			Kind: finding.HeaderUnproven, Line: head.Line, Found: head.Layout.Columns[0],
			Message: "nothing tells whether this line is the header or a record; it was read as the header: say " +
				"⟨header-lines⟩ 1 if it is, or ⟨no-header⟩",
		})
	}
	if head.Keyed {
		add(finding.Finding{
			Kind: finding.KeyedObjects, Count: len(head.Layout.Columns),
			Message: fmt.Sprintf("objects by key became one record of %s; if each of them is a record, say "+
				"⟨member-name⟩ COLUMN, which puts the keys into a column",
				words.Count(len(head.Layout.Columns), "column")),
		})
	}
	if head.Alone != 0 {
		add(finding.Finding{
			Kind: finding.OneColumn, Line: head.Line,
			Message: fmt.Sprintf("read with %q between fields there is one column only, and %q stands in its name; "+
				"leave ⟨delimiter⟩ out to have it found, or say ⟨delimiter⟩ %q", head.Delimiter, head.Alone,
				head.Alone),
		})
	}
	if head.Alone == 0 && head.Several {
		add(finding.Finding{
			Kind: finding.OneColumn, Severity: finding.Note, Line: head.Line,
			Message: "one column only was found; if there are more, say what parts them with ⟨delimiter⟩ or ⟨widths⟩",
		})
	}
	if head.Index > 0 {
		add(finding.Finding{
			Kind: finding.IndexColumn, Line: head.Line, Column: record.PositionName(head.Index),
			Message: fmt.Sprintf("column %d has no name and only numbers the records; left out", head.Index),
		})
	}
	v.tellUnclear(b, add)
	for _, renamed := range b.Head.Twice {
		add(finding.Finding{
			Kind: finding.RepeatedColumn, Line: b.Head.Line, Column: renamed.Name,
			Message: fmt.Sprintf("the header names %q more than once; this one is called %q here", renamed.Name,
				renamed.As),
		})
	}
	for _, n := range b.Head.Unnamed {
		add(finding.Finding{
			Kind: finding.UnnamedColumn, Line: b.Head.Line, Column: record.PositionName(n),
			Message: fmt.Sprintf("column %d has no name; it is called %q", n, record.PositionName(n)),
		})
	}
	if pattern := v.tally.set.PatternOf(b.Index); pattern != nil && src.Words == nil && v.tally.set.Words() != nil {
		add(finding.Finding{
			Kind:     finding.UnmatchedName,
			Expected: pattern.String(),
			Message: fmt.Sprintf("the file's name does not match %q; left blank: %s", pattern,
				strings.Join(pattern.Words, ", ")),
		})
	}
}

// tellUnclear tells by which values it could not be told how the source writes: of
// amounts the first one in a column that the run reads as amounts, and of dates one of
// each column that it reads as dates.
func (v *Visitor) tellUnclear(b *source.Batch, add func(finding.Finding)) {
	told := false
	for _, unclear := range b.Unclear {
		f := finding.Finding{Kind: finding.DateUnclear, Line: unclear.Line, Column: unclear.Column,
			Found: unclear.Found}
		if unclear.Kind == record.Date {
			f.Message = fmt.Sprintf("%q could be read day first or month first, and no other date here proves one; "+
				"read day first, say it with ⟨as⟩ %s=date:dmy or date:mdy", unclear.Found, unclear.Column)
			add(f)
			continue
		}
		if told || !unclear.Asked && !v.reads(b, unclear.Column) {
			continue
		}
		told = true
		f.Kind = finding.DecimalUnclear
		f.Message = fmt.Sprintf("%q could be read with either decimal mark, and no other amount here proves one; "+
			"read with %q, say it with ⟨decimal⟩", unclear.Found, b.Decimal)
		add(f)
	}
}

// reads tells whether the run reads a column as amounts.
func (v *Visitor) reads(b *source.Batch, column string) bool {
	at, ok := b.Head.Layout.Find(column)
	return ok && (v.tally.options.Every || slices.Contains(v.columns, at))
}

// tell adds what is known once all of a source was read.
func (t *Tally) tell(index int, s *Source) {
	add := func(f finding.Finding) {
		src := &t.set.Sources[index]
		f.Source, f.Sheet, f.Order, f.Message = src.Name, src.Sheet(), index, t.set.Addressed(f.Message)
		t.Findings.Add(f)
	}
	switch {
	case s.Head.Empty:
		add(finding.Finding{Kind: finding.EmptyFile, Message: "there is nothing in the file; ask for it again"})
	case s.Read == 0:
		add(finding.Finding{Kind: finding.NoRows, Message: "there is a header and not one record below it"})
	}
	if read := s.Read - s.Left; 2*s.Suspense > read {
		add(finding.Finding{Kind: finding.MostlySuspended, Count: s.Suspense,
			Message: fmt.Sprintf("%d of %s in suspense: most of the source is missing from every figure; say how it "+
				"is to "+
				"be read, or ask for it again", s.Suspense, words.Count(read, "record"))})
	}
	if n := len(s.set.seldom().repeated); n > 0 {
		first := s.set.seldom().repeated[0]
		for _, line := range s.set.seldom().repeated {
			first = min(first, line)
		}
		where := fmt.Sprintf("on line %d", first)
		if n > 1 {
			where = fmt.Sprintf("%d times, first %s", n, where)
		}
		add(finding.Finding{
			Kind: finding.RepeatedHeader, Line: first, Count: n,
			Message: fmt.Sprintf("the header stands again %s; left out, as it is no record", where),
		})
	}
	if s.set.seldom().hidden > 0 || s.Head.Hidden != "" {
		var parts []string
		if s.Head.Hidden != "" {
			parts = append(parts, s.Head.Hidden)
		}
		if s.set.seldom().hidden > 0 {
			parts = append(parts, words.Count(s.set.seldom().hidden, "row"))
		}
		add(finding.Finding{
			Kind: finding.HiddenCells, Count: s.set.seldom().hidden,
			Message: strings.Join(parts, ", ") + " hidden in the workbook; read like the others",
		})
	}
	if s.set.seldom().guessed != "" {
		add(finding.Finding{
			Kind: finding.EncodingGuessed, Line: s.set.seldom().guessedLine, Found: s.set.seldom().guessed,
			Message: fmt.Sprintf("the text is no UTF-8, first on this line, and was read as %s; say it with ⟨encoding⟩",
				s.set.seldom().guessed),
		})
	}
	t.tellShort(index, s, add)
	if few := 5; s.set.seldom().quotes > few {
		add(finding.Finding{
			Kind: finding.QuotesInText, Count: s.set.seldom().quotes,
			Message: fmt.Sprintf("%s in suspense because of quotes; if a quote means nothing in this file, read it "+
				"with ⟨no-quotes⟩", words.Count(s.set.seldom().quotes, "record")),
		})
	}
	s.tellTotalLines(add)
	s.tellExpressions(add)
	if s.set.seldom().blank > 0 && !s.Head.Empty {
		add(finding.Finding{
			Kind: finding.BlankLine, Count: s.set.seldom().blank,
			Message: fmt.Sprintf("%s left out", words.Count(s.set.seldom().blank, "blank line")),
		})
	}
	for i, n := range s.Blank {
		if n > 0 {
			add(finding.Finding{
				Kind: finding.BlankAmount, Column: t.options.Amounts[i], Count: n,
				Message: fmt.Sprintf("%s without an amount; blank is counted as blank, not as zero",
					words.Count(n, "record")),
			})
		}
	}
}

// tellNoText tells of files that were passed over although they are called like text: if a
// branch sent one, its figures are missing.
func (t *Tally) tellNoText() {
	for _, p := range t.set.PassedOver {
		if p.Binary != "" {
			t.Findings.Add(finding.Finding{
				Kind: finding.NoText, Source: p.Source, Order: len(t.set.Sources), Found: p.Binary,
				Message: fmt.Sprintf("it holds %s and no text; passed over", p.Binary),
			})
		}
	}
}
