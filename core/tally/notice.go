package tally

import (
	"fmt"
	"strings"

	"lastblock/core/finding"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/core/suspense"
)

// refuse puts a record into suspense that the reader could not read.
func (v *Visitor) refuse(b *source.Batch, entry *entry, i int) {
	refusal := &b.Refused[i]
	entry.Suspense++
	name := v.tally.set.Sources[b.Index].Name
	f := finding.Finding{Source: name, Order: b.Index, Line: refusal.Line}
	switch refusal.Reason {
	case record.FieldCount:
		f.Kind = finding.FieldCount
		f.Expected, f.Found = fmt.Sprint(b.Width), fmt.Sprint(refusal.Fields)
		f.Message = fmt.Sprintf("%s where there are %s; the record is in suspense", Plural(refusal.Fields, "field"), Plural(b.Width, "column"))
	case record.OpenQuote:
		f.Kind = finding.OpenQuote
		f.Message = "a quote opens on this line and is never closed; the line is in suspense, and reading went on with the next one"
	case record.StrayQuote:
		f.Kind = finding.StrayQuote
		f.Message = "text stands behind a closing quote; the record is in suspense"
	}
	v.findings.Add(f)
	v.suspense.Add(suspense.Entry{Reason: f.Kind, Source: name, Line: refusal.Line, Record: refusal.Raw})
}

// lookAtHead tells what is to be known of a source from its head alone.
func (v *Visitor) lookAtHead(b *source.Batch) {
	src := &v.tally.set.Sources[b.Index]
	add := func(f finding.Finding) {
		f.Source, f.Order = src.Name, b.Index
		v.findings.Add(f)
	}
	for _, renamed := range b.Head.Twice {
		add(finding.Finding{
			Kind: finding.RepeatedColumn, Line: b.Head.Line, Column: renamed.Name,
			Message: fmt.Sprintf("the header names %q more than once; this one is called %q here", renamed.Name, renamed.As),
		})
	}
	for _, n := range b.Head.Unnamed {
		add(finding.Finding{
			Kind: finding.UnnamedColumn, Line: b.Head.Line, Column: record.PositionName(n),
			Message: fmt.Sprintf("column %d has no name; it is called %q", n, record.PositionName(n)),
		})
	}
	if v.tally.set.Pattern != nil && src.Words == nil {
		add(finding.Finding{
			Kind:     finding.UnmatchedName,
			Expected: v.tally.set.Pattern.String(),
			Message:  fmt.Sprintf("the file's name does not match %q, so %s stays blank", v.tally.set.Pattern, strings.Join(v.tally.set.Words(), " and ")),
		})
	}
}

// tell adds what is known once all of a source was read.
func (t *Tally) tell(index int, s *Source) {
	add := func(f finding.Finding) {
		f.Source, f.Order = t.set.Sources[index].Name, index
		t.Findings.Add(f)
	}
	switch {
	case s.Head.Empty:
		add(finding.Finding{Kind: finding.EmptyFile, Message: "there is nothing in the file; ask for it again"})
	case s.Read == 0:
		add(finding.Finding{Kind: finding.NoRows, Message: "there is a header and not one record below it"})
	}
	if n := len(s.set.repeated); n > 0 {
		first := s.set.repeated[0]
		for _, line := range s.set.repeated {
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
	if s.set.blank > 0 && !s.Head.Empty {
		add(finding.Finding{
			Kind: finding.BlankLine, Count: s.set.blank,
			Message: fmt.Sprintf("%s left out", Plural(s.set.blank, "blank line")),
		})
	}
	for i, n := range s.Blank {
		if n > 0 {
			add(finding.Finding{
				Kind: finding.BlankAmount, Column: t.options.Amounts[i], Count: n,
				Message: fmt.Sprintf("%s without an amount; blank is counted as blank, not as nought", Plural(n, "record")),
			})
		}
	}
}

// Plural puts a number before a noun: "1 record", "2 records".
func Plural(n int, what string) string {
	if n == 1 {
		return "1 " + what
	}
	return fmt.Sprintf("%d %ss", n, what)
}
