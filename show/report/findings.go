package report

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"lastblock/core/finding"
	"lastblock/core/month/pack"
	"lastblock/show"
)

// weight is the order of severities: what stops first.
func weight(f *pack.Finding) int {
	switch {
	case f.Stops():
		return 0
	case f.Severity == finding.Stop:
		return 1
	case f.Severity == finding.Review && f.Accepted == "":
		return 2
	case f.Severity == finding.Review:
		return 3
	}
	return 4
}

// decidedColumns are the last columns, which say who has decided and when.
const decidedColumns = 2

// findings are all findings with what was decided, those that stop first.
func findings(d *draft) []Part {
	all := slices.Clone(d.Report.Findings)
	slices.SortStableFunc(all, func(a, b pack.Finding) int { return cmp.Compare(weight(&a), weight(&b)) })
	t := &Table{Name: "findings", Sorts: true, Filters: true, Columns: []Column{{Name: "severity"},
		{Name: "finding", Kind: Code}, {Name: "kind"}, {Name: "where"}, {Name: "what", Kind: Long},
		{Name: "amount", Kind: Money, Total: true}, {Name: "decision", Kind: Long},
		{Name: "by"}, {Name: "on", Kind: Moment}}}
	counts := make(map[finding.Severity]int)
	decided := 0
	for i := range all {
		f := &all[i]
		counts[f.Severity]++
		if f.Accepted != "" {
			decided++
		}
		cell := moneyCell(f)
		severity := Cell{Text: string(f.Severity)}
		switch {
		case f.Stops():
			severity.Word = Bad
		case f.Severity == finding.Review && f.Accepted == "":
			severity.Word = Doubtful
		}
		t.Rows = append(t.Rows, Row{ID: findingID(f), Cells: []Cell{severity, text(f.ID), text(string(f.Kind)),
			{Text: whereOf(f), Link: d.rowOf[f.Source]}, text(f.Message), cell,
			{Text: decisionText(f), Word: decisionWord(f)}, text(f.User), decidedOn(f)}, Entity: f.Entity,
			Period: f.Period, Severity: string(f.Severity)})
	}
	if len(t.Rows) > d.limits.Rows {
		t.More = "the workbook and tieout --findings FILE have all of them"
	}
	say := "Nothing was found."
	if len(all) > 0 {
		var said []string
		for _, severity := range []finding.Severity{finding.Stop, finding.Review, finding.Note} {
			if n := counts[severity]; n > 0 {
				said = append(said, fmt.Sprintf("%s %s", show.Number(n), severity))
			}
		}
		say = show.Count(len(all), "finding") + ": " + strings.Join(said, ", ") + "."
		if decided > 0 {
			say += fmt.Sprintf(" About %s was decided.", show.Number(decided))
		}
	}
	switch {
	case len(all) == 0:
		t = nil
	case decided == 0:
		t.cut(len(t.Columns) - decidedColumns)
	}
	return []Part{{Sheet: "Findings", Texts: []string{say}, Table: t}}
}

// counting are the kinds whose differences are no money.
var counting = []finding.Kind{finding.RowCount, finding.DistinctCount, finding.HashTotal, finding.SequenceGap,
	finding.SequenceRepeat}

// moneyCell is the amount that a finding is about, blank where it is about none.
func moneyCell(f *pack.Finding) Cell {
	value, has := f.Money()
	if !has || slices.Contains(counting, f.Kind) {
		return Cell{}
	}
	return textAmount(value)
}

func findingID(f *pack.Finding) string { return "finding-" + f.ID }

// whereOf is the place of a finding in one text.
func whereOf(f *pack.Finding) string {
	where := cmp.Or(f.Source, f.Key)
	if f.Line > 0 {
		where += fmt.Sprintf(", line %d", f.Line)
	}
	if f.Column != "" {
		where += ", " + f.Column
	}
	return where
}

// decidedOn is when it was decided about a finding, blank where it was not.
func decidedOn(f *pack.Finding) Cell {
	if f.Time == nil {
		return Cell{}
	}
	return moment(*f.Time)
}

// decisionText is what was decided about a finding, and why.
func decisionText(f *pack.Finding) string {
	if f.Accepted == "" {
		switch {
		case f.Lapsed != "":
			return "open: " + f.Lapsed
		case f.Severity == finding.Note:
			return ""
		}
		return "open"
	}
	words := map[string]string{"accept": "accepted", "keep": "kept", "drop": "left out"}
	return cmp.Or(words[string(f.Decision)], "decided") + ": " + f.Accepted
}

func decisionWord(f *pack.Finding) Word {
	switch {
	case f.Accepted != "":
		return Good
	case f.Severity == finding.Stop:
		return Bad
	case f.Severity == finding.Review:
		return Doubtful
	}
	return NoWord
}
