package tally

import (
	"cmp"
	"fmt"
	"slices"

	"lastblock/core/finding"
	"lastblock/core/finding/drop"
	"lastblock/core/finding/proof"
	"lastblock/core/finding/suspense"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/core/value/amount"
	"lastblock/core/value/equality"
)

// left is what was left out of a source for one reason.
type left struct {
	records int
	totals  []amount.Sum
}

// taken are the records of a batch that are left out, and why.
type taken struct {
	all  *drop.Reason        // where none of them is counted
	some map[int]drop.Reason // else, by rank
}

// reason is why a record is left out, by its rank.
func (t *taken) reason(rank int) (drop.Reason, bool) {
	if t.all != nil {
		return *t.all, true
	}
	reason, ok := t.some[rank]
	return reason, ok
}

// take finds the records that Options.Drop names, as they were sent and as all results see them: one that a condition
// leaves out, or that cannot be computed with for one of them, is known all the same.
func (v *Visitor) take(b *source.Batch, drops *drop.Source) (of taken) {
	if reason, ok := drops.Whole(); ok || drops == nil {
		if ok {
			of.all = &reason
		}
		return of
	}
	note := func(rank int, reason drop.Reason) {
		if of.some == nil {
			of.some = make(map[int]drop.Reason)
		}
		of.some[rank] = reason
	}
	shared := b.Shared()
	for row := range shared.Batch.Rows {
		print := func() drop.Print { return v.printShared(shared, row) }
		if reason, ok := drops.Takes(shared.Line(row), print); ok {
			note(shared.Rank(row), reason)
		}
	}
	// Those that are left out, or refused, before any result sees them:
	if sent, head := b.Sent(); sent != nil {
		v.takeSent(b, sent, head, drops, note)
	} else if dropped := shared.Dropped; dropped != nil {
		for row := range dropped.Rows {
			drops.Takes(dropped.Line(row), func() drop.Print {
				print := printAmong(&v.print, shared, shared.Head, dropped, row, &v.scratch)
				return drop.Print{Meant: print, Sent: print}
			})
		}
	}
	return of
}

// takeSent is take for the records as they were sent of which none is among those that results see.
func (v *Visitor) takeSent(b *source.Batch, sent *record.Batch, head *source.Head, drops *drop.Source,
	note func(rank int, reason drop.Reason)) {
	shared := b.Shared()
	seen := make([]bool, sent.Rows)
	for row := range shared.Batch.Rows {
		seen[shared.Rank(row)] = true
	}
	for rank := range sent.Rows {
		if seen[rank] {
			continue
		}
		reason, ok := drops.Takes(sent.Line(rank), func() drop.Print {
			print := printAmong(&v.print, b, head, sent, rank, &v.scratch)
			return drop.Print{Meant: print, Sent: print}
		})
		if ok {
			note(rank, reason)
		}
	}
}

// leaveOut takes the records out of a batch that are left out. They count as dropped, and so do their amounts as far
// as they are some.
func (v *Visitor) leaveOut(b *source.Batch, entry *Source, of taken) {
	if of.all == nil && of.some == nil {
		return
	}
	v.keep = v.keep[:0]
	any := false
	for row := range b.Batch.Rows {
		reason, ok := of.reason(b.Rank(row))
		v.keep = append(v.keep, !ok)
		if ok {
			any = true
			v.leave(b, entry, row, reason)
		}
	}
	if any {
		b.Own()
		b.Split(v.keep)
	}
}

// leftFor is what is left out of a source for a reason.
func (v *Visitor) leftFor(entry *Source, reason drop.Reason) *left {
	if entry.set.noted().left == nil {
		entry.set.noted().left = make(map[drop.Reason]*left)
	}
	l := entry.set.noted().left[reason]
	if l == nil {
		l = &left{totals: make([]amount.Sum, len(v.columns))}
		entry.set.noted().left[reason] = l
	}
	return l
}

// leaveRefused notes that a line is left out that could not be read anyway.
func (v *Visitor) leaveRefused(b *source.Batch, entry *Source, i int, reason drop.Reason) {
	v.giveRefused(b, i, LeftOut, whyLeft(reason))
	v.leftFor(entry, reason).records++
	entry.Dropped++
	entry.Left++
	if v.tally.options.Both {
		refusal := &b.Refused[i]
		v.suspense.Add(suspense.Entry{Reason: reason.Kind, Source: v.tally.set.Sources[b.Index].Name,
			Line: refusal.Line, Record: refusal.Raw})
	}
}

// leave notes that a record is left out.
func (v *Visitor) leave(b *source.Batch, entry *Source, row int, reason drop.Reason) {
	v.giveRow(&b.Batch, row, LeftOut, whyLeft(reason))
	l := v.leftFor(entry, reason)
	entry.Left++
	l.records++
	for i, column := range v.columns {
		if column < 0 {
			continue
		}
		if value, err := amount.Parse(b.Text(row, column, &v.scratch), b.DecimalOf(column)); err == nil {
			l.totals[i].Add(value)
		}
	}
	if v.tally.options.Both {
		v.suspense.Add(suspense.Entry{Reason: reason.Kind, Source: v.tally.set.Sources[b.Index].Name, Line: b.Line(row),
			Record: b.Raw(row)})
	}
}

// PrintOf is the fingerprint of a record, whatever a narrowed set makes of it.
func PrintOf(print *equality.Print, b *source.Batch, row int, scratch *[]byte) drop.Print {
	shared := b.Shared()
	sent, head := b.Sent()
	rank := b.Rank(row)
	if sent == nil {
		meant := printAmong(print, shared, shared.Head, &shared.Batch, rank, scratch)
		return drop.Print{Meant: meant, Sent: meant}
	}
	p := drop.Print{Sent: printAmong(print, b, head, sent, rank, scratch)}
	p.Meant = p.Sent
	if at, ok := slices.BinarySearch(shared.Ranks, rank); ok {
		p.Meant = printAmong(print, shared, shared.Head, &shared.Batch, at, scratch)
	}
	return p
}

// printShared is PrintOf for a row of a batch as all see it.
func (v *Visitor) printShared(shared *source.Batch, row int) drop.Print {
	p := drop.Print{Meant: printAmong(&v.print, shared, shared.Head, &shared.Batch, row, &v.scratch)}
	p.Sent = p.Meant
	if sent, head := shared.Sent(); sent != nil {
		p.Sent = printAmong(&v.print, shared, head, sent, shared.Rank(row), &v.scratch)
	}
	return p
}

// printAmong is the fingerprint of one of some records of a batch, which have a head, by what it means.
func printAmong(print *equality.Print, b *source.Batch, head *source.Head, records *record.Batch, row int,
	scratch *[]byte) uint64 {
	for i, name := range head.Layout.Columns {
		decimal := b.Decimal
		if head.IsPlain(i) {
			decimal = '.'
		}
		print.Add(name, records.Text(row, i, scratch), decimal)
	}
	return print.Sum()
}

func (a *seldom) mergeLeft(o *seldom) {
	for reason, of := range o.left {
		l := a.left[reason]
		if l == nil {
			if a.left == nil {
				a.left = make(map[drop.Reason]*left)
			}
			a.left[reason] = of
			continue
		}
		l.records += of.records
		for i := range l.totals {
			l.totals[i].Merge(&of.totals[i])
		}
	}
}

// tellLeft puts what was left out of a source into the proof, and tells what was
// to be left out and is not there as it was.
func (t *Tally) tellLeft(index int, s *Source) {
	if s.set.some == nil && t.options.Drop == nil {
		return // as of most
	}
	name, sheet := t.set.Sources[index].Name, t.set.Sources[index].Sheet()
	var of []proof.Left
	for reason, l := range s.set.seldom().left {
		p := proof.Left{Source: name, Sheet: sheet, Records: l.records, Kind: string(reason.Kind), Reason: reason.Text}
		for i := range l.totals {
			p.Totals = append(p.Totals, l.totals[i].Amount())
		}
		of = append(of, p)
	}
	slices.SortFunc(of, func(a, b proof.Left) int {
		return cmp.Or(cmp.Compare(a.Kind, b.Kind),
			cmp.Compare(a.Reason, b.Reason))
	})
	t.Proof.Left = append(t.Proof.Left, of...)
	t.options.Drop.Of(name).Missing(func(line int, reason drop.Reason) {
		if line == 0 {
			t.tellLapsed(index, reason)
			return
		}
		t.Findings.Add(finding.Finding{
			Kind: finding.LapsedDrop, Source: name, Sheet: sheet, Order: index, Line: line, Expected: reason.Text,
			Message: fmt.Sprintf("a record was to be left out here (%s), and no record like it starts on this line "+
				"any more; it may be counted twice again, so look for doubles once more", reason.Text),
		})
	})
}
