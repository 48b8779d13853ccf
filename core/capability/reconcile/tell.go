package reconcile

import (
	"bytes"
	"fmt"
	"strconv"
	"strings"

	"lastblock/core/finding"
	"lastblock/core/large/texts"
	"lastblock/core/tally/matching"
	"lastblock/core/value/equality"

	"github.com/zeebo/xxh3"
)

var findingKinds = [statuses]finding.Kind{Differs: finding.Differs, OnlyHere: finding.OnlyHere,
	OnlyThere: finding.OnlyThere, Ambiguous: finding.Ambiguous}

// tellFinding tells what has a status other than that both sides agree.
func (w *worker) tellFinding(status Status, here, there []matching.Item) {
	side, first := 0, here
	if len(here) == 0 {
		side, first = 1, there
	}
	f := w.finding(findingKinds[status], side, first[0])
	f.Record = w.hashOf(here, there)
	f.Amount = w.amountText(side, first)
	f.Count = 0
	if len(here)+len(there) > 2 {
		f.Count = len(here) + len(there)
	}
	if status == Differs && len(w.diffs) == 1 {
		f.Column = w.run.fields[w.diffs[0].field].name
	}
	if !w.findings.Full(f.Kind, f.Order, f.Line) {
		w.describe(&f, status, side, here, there)
	}
	w.findings.Add(f)
}

// finding begins a finding about a record.
func (w *worker) finding(kind finding.Kind, side int, item matching.Item) finding.Finding {
	r := w.run
	set := r.sides[side].Set
	place := item.Place()
	f := finding.Finding{
		Kind: kind, Source: set.Sources[place.Source()].Name,
		Sheet: set.Sources[place.Source()].Sheet(),
		Order: place.Source(), Line: place.Line(),
	}
	if side == 1 && r.mirror == nil {
		f.Order += len(r.sides[0].Set.Sources)
	}
	return f
}

// hashOf is a fingerprint of what stands in records.
func (w *worker) hashOf(here, there []matching.Item) uint64 {
	var sum uint64
	for side, items := range [2][]matching.Item{here, there} {
		for _, item := range items {
			item.Texts(w.texts[side])
			w.key = w.key[:0]
			for _, text := range w.texts[side] {
				w.key = texts.Append(w.key, text)
			}
			sum = sum*31 + xxh3.Hash(w.key)
		}
	}
	return sum | 1
}

// amountText is the first total of records, by which findings are added up.
func (w *worker) amountText(side int, items []matching.Item) string {
	if len(w.run.totals) == 0 {
		return ""
	}
	return w.sumOf(side, items, w.run.values[side][w.run.totals[0]]).String()
}

func (w *worker) describe(f *finding.Finding, status Status, side int, here, there []matching.Item) {
	items := here
	if side == 1 {
		items = there
	}
	f.Key = w.keyText(side, items[0])
	switch status {
	case Differs:
		w.describeDifferences(f, here, there)
	case OnlyHere:
		f.Message = w.named(side, items[0]) + " is in the records but not in the reference"
		if w.run.mirror != nil {
			f.Message = w.run.mirror.onlyOne(items[0].Key(), 0, w.keyText(0, items[0]), f.Amount)
		}
	case OnlyThere:
		f.Message = w.named(side, items[0]) + " is in the reference but not in the records"
		if w.run.mirror != nil {
			f.Message = w.run.mirror.onlyOne(items[0].Key(), 1, w.keyText(1, items[0]), f.Amount)
		}
	case Ambiguous:
		f.Message = fmt.Sprintf("%s is found %s in the records (%s) and %s in the reference (%s), and which of them "+
			"belong "+
			"together does not show",
			f.Key, times(len(here)), w.placesText(0, here), times(len(there)), w.placesText(1, there))
	}
}

// named is the key of a record, with the total that it has.
func (w *worker) named(side int, item matching.Item) string {
	text := w.keyText(side, item)
	if text == "" {
		text = "a record with a blank key"
	}
	if len(w.run.totals) > 0 {
		text += fmt.Sprintf(", %s %s,", w.run.options.Totals[0],
			w.sumOf(side, []matching.Item{item}, w.run.values[side][w.run.totals[0]]).Money())
	}
	return text
}

func (w *worker) describeDifferences(f *finding.Finding, here, there []matching.Item) {
	const most, longest = 4, 40
	single := len(here) == 1 && len(there) == 1
	var parts []string
	for i := range w.diffs {
		d := &w.diffs[i]
		if d.within {
			continue
		}
		of := &w.run.fields[d.field]
		x, y := w.shown(d, of, 0, here, single), w.shown(d, of, 1, there, single)
		if len(w.diffs) == 1 {
			f.Found, f.Expected = x, y
			if d.isAmount {
				f.Difference = d.difference.String()
			}
			if w.run.mirror != nil && d.isAmount { // what is left when both are added up
				f.Difference = d.difference.Neg().String()
			}
		}
		if len(parts) == most {
			parts = append(parts, "…")
			break
		}
		part := fmt.Sprintf("%s %s per records, %s per reference", of.name, shortened(x, longest),
			shortened(y, longest))
		switch {
		case d.isAmount && w.run.mirror != nil:
			part = w.run.mirror.booked(here[0].Key(), of.name, w.sumOf(0, here, of.at[0]), w.sumOf(1, there, of.at[1]))
		case d.isAmount:
			part += ", difference " + d.difference.Money()
		case d.days > 0:
			part += fmt.Sprintf(", %s apart", days(d.days))
		}
		parts = append(parts, part)
	}
	f.Message = fmt.Sprintf("%s: %s (%s)", w.labelOf(here[0]), strings.Join(parts, "; "), w.placesText(1, there))
	if len(here) > 1 {
		f.Message += fmt.Sprintf("; %s together: %s", records(len(here)), w.placesText(0, here))
	}
}

// labelOf says what records are about: their key, and of two companies which.
func (w *worker) labelOf(item matching.Item) string {
	text := w.keyText(0, item)
	if w.run.mirror == nil {
		return text
	}
	pair := w.run.mirror.between(item.Key())
	if text == "" {
		return pair
	}
	return pair + ", " + text
}

// shown is the value of a side that differs, as it is told.
func (w *worker) shown(d *diff, f *field, side int, items []matching.Item, single bool) string {
	switch {
	case f.amount >= 0:
		value := w.sumOf(side, items, f.at[side])
		if single && len(items[0].Text(f.at[side], len(w.run.names[side]))) == 0 {
			return "(blank)"
		}
		return value.Money()
	case single:
		text := string(bytes.ToValidUTF8(items[0].Text(f.at[side], len(w.run.names[side])), []byte("\ufffd")))
		if strings.TrimSpace(text) == "" {
			return "(blank)"
		}
		return text
	}
	if d.values[side] == "" {
		return "(blank)"
	}
	return d.values[side]
}

func shortened(text string, longest int) string {
	if runes := []rune(text); len(runes) > longest {
		return string(runes[:longest]) + "…"
	}
	return text
}

func times(n int) string {
	switch n {
	case 1:
		return "once"
	case 2:
		return "twice"
	}
	return fmt.Sprintf("%d times", n)
}

func records(n int) string {
	if n == 1 {
		return "1 record"
	}
	return fmt.Sprintf("%d records", n)
}

func days(n int) string {
	if n == 1 {
		return "1 day"
	}
	return fmt.Sprintf("%d days", n)
}

// keyText writes the key of a record: "document D1, line 2". Of a pass without a key
// it is that of the first one.
func (w *worker) keyText(side int, item matching.Item) string {
	p := w.pass
	if p.combine || len(p.names) == 0 {
		p = &w.run.passes[0]
	}
	var parts []string
	for _, name := range p.names {
		at, err := w.run.sides[side].Find(name)
		if err != nil {
			continue // bind has found it
		}
		text := bytes.ToValidUTF8(item.Text(at, len(w.run.names[side])), []byte("\ufffd"))
		if len(bytes.TrimSpace(text)) > 0 {
			parts = append(parts, name+" "+string(text))
		}
	}
	return strings.Join(parts, ", ")
}

// placesText names places: "a.csv, lines 3, 5; b.csv, line 2".
func (w *worker) placesText(side int, items []matching.Item) string {
	const most = 6
	set := w.run.sides[side].Set
	var parts []string
	for i := 0; i < min(len(items), most); {
		index := items[i].Place().Source()
		var lines []string
		for ; i < min(len(items), most) && items[i].Place().Source() == index; i++ {
			lines = append(lines, strconv.Itoa(items[i].Place().Line()))
		}
		word := "line"
		if len(lines) > 1 {
			word = "lines"
		}
		parts = append(parts, set.Sources[index].Name+", "+word+" "+strings.Join(lines, ", "))
	}
	if more := len(items) - most; more > 0 {
		parts = append(parts, fmt.Sprintf("and %d more", more))
	}
	return strings.Join(parts, "; ")
}

// tellMerged tells that one side has two keys that are one only because something
// makes no difference.
func (w *worker) tellMerged(side int, a, b matching.Item) {
	f := w.finding(finding.LooseKey, side, b)
	if !w.findings.Full(f.Kind, f.Order, f.Line) {
		f.Key = w.keyText(side, b)
		f.Message = fmt.Sprintf("%s and %s (%s) are different keys of one side, and the same only because of "+
			"⟨loose⟩ %s",
			w.keyText(side, a), f.Key, w.placesText(side, []matching.Item{a, b}), looseText(w.pass.keys[side].Loose))
	}
	w.findings.Add(f)
}

func looseText(all []equality.Loose) string {
	for _, l := range all {
		if l != (equality.Loose{}) {
			return l.String()
		}
	}
	return ""
}
