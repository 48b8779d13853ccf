package tally

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"lastblock/core/finding"
	"lastblock/core/record"
	"lastblock/core/source"
)

// TellDiffering adds a finding for every source whose columns are not those
// that most sources have: which it lacks, which it has beside them, or that
// only their order differs. It is called after Finish.
// With StrictColumns that is a "stop" finding.
func (t *Tally) TellDiffering() {
	if t.toldDiffering {
		return
	}
	t.toldDiffering = true
	severity := finding.ColumnsDiffer.Severity()
	if t.set.Mode == source.StrictColumns {
		severity = finding.Stop
	}
	usual := t.usualLayout()
	for i := range t.Sources {
		head := t.Sources[i].Head
		if head == nil || head.Empty || head.Layout == usual || t.isGone(i) {
			continue
		}
		if text := difference(usual, head.Layout); text != "" {
			t.Findings.Add(finding.Finding{Kind: finding.ColumnsDiffer, Severity: severity,
				Source: t.set.Sources[i].Name,
				Order:  i, Message: text})
		}
	}
}

// usualLayout is the layout of most sources, the first of them where two are
// equally usual.
func (t *Tally) usualLayout() *record.Layout {
	keys, count := make(map[*record.Layout]string), make(map[string]int)
	most := 0
	var last *record.Layout
	run := 0 // sources with that layout, one after another
	end := func() {
		if run == 0 {
			return
		}
		key, ok := keys[last]
		if !ok {
			key = strings.Join(last.Columns, "\x00")
			keys[last] = key
		}
		count[key] += run
		most, run = max(most, count[key]), 0
	}
	for i := range t.Sources {
		head := t.Sources[i].Head
		if head == nil || head.Empty {
			continue
		}
		if head.Layout != last {
			end()
			last = head.Layout
		}
		run++
	}
	end()
	for i := range t.Sources {
		if head := t.Sources[i].Head; head != nil && !head.Empty && count[keys[head.Layout]] == most {
			return head.Layout
		}
	}
	return nil
}

// difference says how a layout differs from the usual one, "" if it does not.
func difference(usual, layout *record.Layout) string {
	lacks, more := beside(usual, layout), beside(layout, usual)
	var parts []string
	if len(lacks) > 0 {
		parts = append(parts, "lacks "+list(lacks))
	}
	if len(more) > 0 {
		parts = append(parts, "has beside the usual columns "+list(more))
	}
	if len(parts) == 0 && !slices.Equal(usual.Columns, layout.Columns) {
		parts = append(parts, "has the usual columns in another order: "+list(layout.Columns))
	}
	return strings.Join(parts, "; ")
}

// beside returns the columns of a layout that the other one does not have.
func beside(layout, other *record.Layout) []string {
	var names []string
	for _, name := range layout.Columns {
		if !other.Has(name) {
			names = append(names, name)
		}
	}
	return names
}

// list names columns, and not a million of them.
func list(names []string) string {
	const most = 30
	shown := slices.Clone(names[:min(len(names), most)])
	for i, name := range shown {
		if strings.Contains(name, ",") {
			shown[i] = strconv.Quote(name)
		}
	}
	text := strings.Join(shown, ", ")
	if len(names) > most {
		text += fmt.Sprintf(", … (%d in all)", len(names))
	}
	return text
}
