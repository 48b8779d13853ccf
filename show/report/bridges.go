package report

import (
	"fmt"
	"slices"
	"strings"

	"lastblock/core/month/block"
	"lastblock/core/value/amount"
	"lastblock/core/value/period"
	"lastblock/show/chart"
)

// bridges lead from the figures of the block before to those of now.
func bridges(d *draft) (parts []Part) {
	periods := make(map[string]string) // of sources
	for i := range d.Sources {
		periods[d.Sources[i].Source] = d.Sources[i].Period
	}
	t := &Table{Name: "bridge", Filters: true, Columns: []Column{{Name: "figure"}, {Name: "step"}, {Name: "source"},
		{Name: "period"}, {Name: "amount", Kind: Money}, {Name: "closed period"}}}
	part := Part{Sheet: "Bridge", Table: t}
	closed := 0
	for i := range d.Report.Bridges {
		b := &d.Report.Bridges[i]
		if d.Entity == "" && len(b.Lines) <= 2 {
			continue // nothing has changed
		}
		closed += d.addBridge(t, b, periods)
		const charts = 4
		if len(b.Group) == 0 && d.Entity == "" && len(part.Charts) < charts {
			part.Charts = append(part.Charts, bridgeChart(b, d.Before.Number))
		}
	}
	if len(t.Rows) == 0 {
		return nil
	}
	say := fmt.Sprintf(
		"What leads from the figures of block %d, %s, to those of this report.",
		d.since(),
		d.wasPeriod(),
	)
	if d.Entity != "" {
		say = fmt.Sprintf("What the files of %s have changed since block %d.", d.Entity, d.since())
	}
	if closed == 0 {
		say += " In closed periods nothing has changed."
	} else {
		say += fmt.Sprintf(" %s in a period that was closed before.", countOf(closed, "step is", "steps are"))
	}
	part.Texts = []string{say}
	return []Part{part}
}

func (d *draft) since() int {
	if len(d.Report.Bridges) > 0 {
		return d.Report.Bridges[0].Since
	}
	return 0
}

func (d *draft) wasPeriod() string {
	if d.Before == nil {
		return ""
	}
	return d.Before.Period
}

// addBridge adds the lines of a bridge, and counts those of sources of a period that was closed before.
func (d *draft) addBridge(t *Table, b *block.Bridge, periods map[string]string) (closed int) {
	names := []string{b.Result}
	for _, word := range b.Group {
		names = append(names, word.Column+" "+word.Value)
	}
	figure := strings.Join(append(names, b.Column), ", ")
	for i, line := range b.Lines {
		label := line.Label
		if line.Source == "" && i == 0 {
			label = fmt.Sprintf("sealed in block %d", b.Since)
		}
		of := periods[line.Source]
		row := Row{Cells: []Cell{text(figure), text(label), {Text: line.Source, Link: d.rowOf[line.Source]}, text(of),
			textAmount(line.Amount), {}}, Period: of, Entity: d.entityOf(line.Source),
			Strong: line.Source == "" && (i == 0 || i == len(b.Lines)-1)}
		if line.Source != "" && isClosed(of, d.wasPeriod()) {
			closed++
			row.Cells[5] = Cell{Text: "closed before", Word: Doubtful}
		}
		t.Rows = append(t.Rows, row)
	}
	return closed
}

// isClosed tells whether a period ends no later than the one that was closed before.
func isClosed(of, before string) bool {
	a, known := period.Parse(of)
	b, knownToo := period.Parse(before)
	return known && knownToo && a.Last() <= b.Last()
}

func (d *draft) entityOf(source string) string {
	for i := range d.Sources {
		if source != "" && d.Sources[i].Source == source {
			return d.Sources[i].Entity
		}
	}
	return ""
}

func textAmount(s string) Cell {
	value, ok := parsed(s)
	if !ok {
		return text(s)
	}
	return money(value)
}

// bridgeChart draws a bridge; what is more than fits stands together.
func bridgeChart(b *block.Bridge, since int) Chart {
	steps, u := stepsOf(b, since)
	caption := u.caption(fmt.Sprintf("How %s of %s went from block %d to now", b.Column, b.Result, since))
	if begins := chart.Begins(steps); begins > 0 {
		caption += "; the bars do not begin at zero"
	}
	return Chart{Caption: caption, Draw: func() (string, error) { return chart.Bridge(caption, steps) }}
}

func stepsOf(b *block.Bridge, since int) (steps []chart.Bar, u unit) {
	amounts := make([]amount.Amount, len(b.Lines))
	var values []float64
	for i, line := range b.Lines {
		amounts[i], _ = parsed(line.Amount)
		values = append(values, float(amounts[i]))
	}
	u = unitOf(values)
	last := len(b.Lines) - 1
	shown := map[int]bool{0: true, last: true}
	order := make([]int, 0, len(b.Lines))
	for i := 1; i < last; i++ {
		order = append(order, i)
	}
	slices.SortStableFunc(order, func(x, y int) int { return amounts[y].Abs().Cmp(amounts[x].Abs()) })
	for _, i := range order[:min(len(order), mostSteps)] {
		shown[i] = true
	}
	var others amount.Amount
	left := 0
	for i, line := range b.Lines {
		name := line.Label
		switch {
		case i == 0:
			name = fmt.Sprintf("sealed in block %d", since)
		case line.Source != "":
			name = line.Label + " " + line.Source
		}
		if !shown[i] {
			others, left = others.Add(amounts[i]), left+1
			continue
		}
		bar := chart.Bar{Name: name, Value: values[i], Label: u.signed(amounts[i]), Strong: i == 0 || i == last}
		if bar.Strong {
			bar.Label = u.label(amounts[i])
		}
		if i == last && left > 0 {
			steps = append(steps, chart.Bar{Name: countOf(left, "other step", "other steps"), Value: float(others),
				Label: u.signed(others)})
		}
		steps = append(steps, bar)
	}
	return steps, u
}
