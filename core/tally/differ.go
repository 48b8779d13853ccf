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
	var usual *record.Layout
	first := make(map[string]*record.Layout)
	count := make(map[string]int)
	known := make(map[*record.Layout]string)
	for i := range t.Sources {
		head := t.Sources[i].Head
		if head == nil || head.Empty {
			continue
		}
		key, ok := known[head.Layout]
		if !ok {
			key = strings.Join(head.Layout.Columns, "\x00")
			known[head.Layout] = key
		}
		if first[key] == nil {
			first[key] = head.Layout
		}
		count[key]++
		if usual == nil || count[key] > count[known[usual]] {
			usual = first[key]
		}
	}
	// A layout that became as usual only later does not win over an earlier
	// one, so the outcome is the first of the most frequent ones.
	for i := range t.Sources {
		if head := t.Sources[i].Head; head != nil && !head.Empty && count[known[head.Layout]] == count[known[usual]] {
			return head.Layout
		}
	}
	return usual
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
