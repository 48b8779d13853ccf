package report

import (
	"fmt"
	"strings"
	"testing"

	"lastblock/core/month/block"
	"lastblock/core/month/pack"
	"lastblock/core/value/amount"
	"lastblock/internal/reporttest"
)

func named(i int) string { return fmt.Sprintf("unit%05d", i) }

// section finds a section, nil where it is not there.
func section(d *Document, id string) *Section {
	for i := range d.Sections {
		if d.Sections[i].ID == id {
			return &d.Sections[i]
		}
	}
	return nil
}

// Sections that a month end has nothing for are absent, and of the others those are there that are asked for.
func TestSections(t *testing.T) {
	r := reporttest.Report(3, 2, named)
	var got []string
	for _, s := range Lay(r, pack.Sections(), PageLimits).Sections {
		got = append(got, s.ID)
	}
	if want := "figures filed summary bridge control doubles findings sources proof"; strings.Join(got, " ") != want {
		t.Errorf("sections are %v, want %s", got, want)
	}
	some := Lay(r, []string{pack.OfProof, pack.KeyFigures, pack.OfGrids}, PageLimits)
	if len(some.Sections) != 2 || some.Sections[0].ID != pack.KeyFigures || some.Sections[1].ID != pack.OfProof {
		t.Errorf("sections are %+v", some.Sections)
	}
}

// The verdict is one sentence, which says what stops the month end, and a rehearsal says that it is none.
func TestVerdicts(t *testing.T) {
	for _, c := range []struct {
		entities, every int
		state           pack.State
		want, unsealed  string
	}{
		{3, 0, pack.Sealed, "2031-03 has passed: 12 records of 3 sources were counted, each is accounted for, and " +
			"nothing stops it.", ""},
		{3, 2, pack.Closing, "2031-03 has failed: 2 findings stop it (2 control-total); 12 records of 3 sources " +
			"were counted.", ""},
		{1, 1, pack.Rehearsed, "2031-03 has failed: 1 finding stops it (1 control-total); 4 records of 1 source " +
			"were counted.", "Not sealed."},
	} {
		r := reporttest.Report(c.entities, c.every, named)
		r.State = c.state
		d := Lay(r, nil, PageLimits)
		if d.Verdict != c.want || d.Passed != (c.every == 0) || !strings.HasPrefix(d.Unsealed, c.unsealed) ||
			(d.Unsealed == "") != (c.unsealed == "") {
			t.Errorf("%q, %q; want %q", d.Verdict, d.Unsealed, c.want)
		}
	}
}

// Key figures stand beside those of the block before, with what they have changed by.
func TestKeyFigures(t *testing.T) {
	r := reporttest.Report(2, 0, named)
	now := r.Proof.Totals[0].Used
	row := func(name string) string {
		for _, row := range section(Lay(r, pack.Sections(), PageLimits), pack.KeyFigures).Parts[0].Table.Rows {
			if row.Cells[0].Text == name {
				var cells []string
				for _, c := range row.Cells[1:] {
					if c.Number == nil {
						cells = append(cells, "")
						continue
					}
					cells = append(cells, c.Number.String())
				}
				return strings.Join(cells, " ")
			}
		}
		return ""
	}
	share, _ := amount.Share(now.Sub(reporttest.Cents(100_000)), reporttest.Cents(100_000), 2)
	want := fmt.Sprintf("%s 1000.00 %s %s", now, now.Sub(reporttest.Cents(100_000)), share)
	if got := row("v"); got != want {
		t.Errorf("v is %q, want %q", got, want)
	}
	if got := row("records"); got != "8 10 -2 -20.00" {
		t.Errorf("records are %q", got)
	}
}

// Of very many sources those with findings come first, the others are counted, and what is listed of a figure comes to
// the figure together with the rest.
func TestManySources(t *testing.T) {
	const entities, every = 3000, 100
	r := reporttest.Report(entities, every, named)
	d := Lay(r, pack.Sections(), PageLimits)
	table := section(d, pack.OfSources).Parts[0].Table
	if len(table.Rows) != PageLimits.Rows || table.Whole != entities || table.More == "" {
		t.Fatalf("%d of %d sources are listed: %s", len(table.Rows), table.Whole, table.More)
	}
	for i, row := range table.Rows {
		if hasOne := row.Cells[7].Number != nil; hasOne != (i < entities/every) {
			t.Fatalf("source %d, %s: a finding %v", i, row.Cells[0].Text, hasOne)
		}
	}
	filed := section(d, pack.WhoFiled).Parts[0]
	if filed.Table.Rows[entities/every-1].Cells[1].Word != Bad ||
		filed.Table.Rows[entities/every].Cells[1].Word != Good {
		t.Error("who has filed twice does not come first")
	}
	lines := 0
	for _, o := range section(d, pack.OfSummaries).Parts[1].Opens {
		sum := amount.Amount{}
		for _, g := range o.Rows {
			sum = sum.Add(g.Amount)
		}
		lines += len(o.Rows)
		if o.Rest == nil {
			t.Fatalf("%s has no rest", o.Figure)
		}
		if sum = sum.Add(o.Rest.Amount); sum.Cmp(o.Total.Amount) != 0 {
			t.Errorf("%s: %s are listed, and it is %s", o.Figure, sum, o.Total.Amount)
		}
	}
	if lines == 0 || lines > PageLimits.Openings {
		t.Errorf("%d lines say what sources gave", lines)
	}
	if n := len(d.Entities); n == 0 || n > 3*PageLimits.Rows {
		t.Errorf("%d entities to filter by", n)
	}
}

// What is listed of a figure comes to it also where it is not known of every source what it gave.
func TestAFigureOfWhichNotAllIsKnown(t *testing.T) {
	r := reporttest.Report(3, 0, named)
	f := r.Given.Of("rollup", "by-account", []string{reporttest.Account(1)})
	left := f.From[0]
	f.From = f.From[1:]
	for _, o := range section(Lay(r, pack.Sections(), PageLimits), pack.OfSummaries).Parts[1].Opens {
		if o.Figure != reporttest.Account(1)+", v" {
			continue
		}
		if o.Rest == nil || o.Rest.Amount.Cmp(left.Totals[0]) != 0 || o.Rest.Records != left.Rows ||
			o.Rest.Source != "sources of which nothing is known by group" {
			t.Errorf("the rest is %+v, want %s", o.Rest, left.Totals[0])
		}
		return
	}
	t.Error("the figure does not open")
}

// Each link leads to a row that is there, and each figure to what it opens to.
func TestLinksLeadSomewhere(t *testing.T) {
	for _, entities := range []int{5, 3000} {
		d := Lay(reporttest.Report(entities, 3, named), pack.Sections(), PageLimits)
		there, links := make(map[string]int), 0
		each := func(visit func(c *Cell)) {
			for _, s := range d.Sections {
				for _, p := range s.Parts {
					if p.Table == nil {
						continue
					}
					for _, rows := range [][]Row{p.Table.Rows, p.Table.Foot} {
						for i := range rows {
							there[rows[i].ID]++
							for k := range rows[i].Cells {
								visit(&rows[i].Cells[k])
							}
						}
					}
					for _, o := range p.Opens {
						there[o.ID]++
					}
				}
			}
		}
		each(func(*Cell) {})
		each(func(c *Cell) {
			for _, id := range []string{c.Opens, c.Link} {
				if id == "" {
					continue
				}
				if links++; there[id] == 0 {
					t.Errorf("of %d entities: %s leads nowhere", entities, id)
				}
			}
		})
		if links < 10 {
			t.Errorf("there are %d links", links)
		}
		delete(there, "")
		for id, n := range there {
			if n > 2 { // each walk counts it once
				t.Errorf("%s stands %d times", id, n)
			}
		}
	}
}

// What changed in a period that was closed before is told from what is new.
func TestBridges(t *testing.T) {
	r := reporttest.Report(2, 0, named)
	r.Sources = append(r.Sources, pack.Source{Source: "late.csv", Entity: named(1), Period: "2031-01"})
	r.Bridges = []block.Bridge{{Since: 1, Result: "s", Column: "v", Lines: []block.BridgeLine{
		{Label: "sealed", Amount: "10"}, {Label: "changed", Source: "late.csv", Amount: "2"},
		{Label: "new", Source: named(0) + "_2031-03.csv", Amount: "5"}, {Label: "now", Amount: "17"}}}}
	part := section(Lay(r, pack.Sections(), PageLimits), pack.OfBridges).Parts[0]
	var got []string
	for _, row := range part.Table.Rows {
		got = append(got, strings.TrimSpace(row.Cells[1].Text+" "+row.Cells[4].Number.String()+" "+row.Cells[5].Text))
	}
	if want := "sealed in block 1 10,changed 2 closed before,new 5,now 17"; strings.Join(got, ",") != want {
		t.Errorf("the bridge is %v, want %s", got, want)
	}
	if want := "1 step is in a period that was closed before."; !strings.Contains(part.Texts[0], want) {
		t.Errorf("it says %q", part.Texts)
	}
}

// Long money is written in thousands, but not where nothing would be left of some of it.
func TestUnits(t *testing.T) {
	for _, c := range []struct {
		values []float64
		amount amount.Amount
		want   string
	}{
		{[]float64{90_000, -5}, reporttest.Cents(9_000_050), "90,000"},
		{[]float64{1_234_567.89, 5_000, 0}, reporttest.Cents(123_456_789), "1,235"},
		{[]float64{1_234_567.89, 5}, reporttest.Cents(123_456_789), "1,234,568"},
	} {
		if got := unitOf(c.values).label(c.amount); got != c.want {
			t.Errorf("of %v, %s is written %s, want %s", c.values, c.amount, got, c.want)
		}
	}
}
