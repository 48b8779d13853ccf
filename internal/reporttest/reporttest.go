// Package reporttest makes reports of month ends for tests: of as many entities as are wanted, with figures that are
// known, and with names that try to run as something.
package reporttest

import (
	"fmt"
	"time"

	"lastblock/core/finding"
	"lastblock/core/month/block"
	"lastblock/core/month/pack"
	"lastblock/core/value/amount"
)

// Hostile are names that try to run, to end what they stand in, or to turn their surroundings round.
var Hostile = []string{`<script>window.ran=1</script>`, `</style><style>body{display:none}</style>`,
	`<img src=x onerror="window.ran=2">`, `javascript:window.ran=3`, "\u202egnp.2031\u202c", "=1+cmd|' /C calc'!A1",
	`"><svg onload=window.ran=4>`, `{{.Title}}`, `&amp;&#39;`, `@SUM(1,2)`}

// Cents is an amount of so many of them.
func Cents(n int64) amount.Amount { return amount.New(n, 2) }

// Account is the account of one of the groups. What stands in the cells of a source tries to run, too.
func Account(group int) string {
	if group == Groups-1 {
		return "=4003\"></th><script>window.ran=5</script>\u202e"
	}
	return fmt.Sprint(4000 + group)
}

// Gave is what an entity gave to a group, in cents.
func Gave(entity, group int) int64 { return int64(entity*37+group*101+1)*100 + int64(entity%90) }

// Groups is how many groups the summary has.
const Groups = 4

// Report is one of some entities, each of which has sent a file; name is what an entity is called. Every entity whose
// number is divisible by every has a finding that stops it.
func Report(entities, every int, name func(entity int) string) *pack.Report {
	p := &pack.Pack{
		Period:  "2031-03",
		Verdict: block.Passed,
		Since:   1,
		Filed:   &pack.Filed{Periods: []string{"2031-03"}},
		Doubles: &pack.Doubles{Totals: []string{"v"}},
		Proof:   pack.Proof{},
	}
	b := block.Block{Results: []block.Result{{Command: "rollup", Title: "by-account", By: []string{"account"},
		Totals: []block.Total{{Column: "v"}}}}, Totals: []block.Total{{Column: "v"}}, Period: p.Period, Number: 2,
		User: "anna", Time: time.Date(2031, 4, 2, 9, 30, 0, 0, time.UTC), Verdict: p.Verdict}
	var lines []block.Figure
	s := pack.Summary{Name: "by-account", By: []string{"account"}, Sums: []string{"v"}, Groups: Groups}
	totals, all := make([]int64, Groups), int64(0)
	for i := range entities {
		entity, source := name(i), name(i)+"_2031-03.csv"
		sum := int64(0)
		for k := range Groups {
			gave := Gave(i, k)
			totals[k], sum = totals[k]+gave, sum+gave
			lines = append(lines, block.Figure{Kind: block.OfWithin, Result: 1, Source: source,
				Group: []string{Account(k)}, Rows: 1, Place: fmt.Sprint(k + 2), Totals: []string{Cents(gave).String()}})
		}
		all += sum
		lines = append(lines, block.Figure{Kind: block.OfGiven, Result: 1, Source: source, Rows: Groups,
			Totals: []string{Cents(sum).String()}})
		status := "filed"
		if every > 0 && i%every == 0 {
			status = "filed-twice"
			p.Verdict = block.Failed
			p.Findings = append(p.Findings, pack.Finding{Finding: finding.Finding{ID: fmt.Sprintf("id%06d", i),
				Kind: finding.ControlTotal, Severity: finding.Stop, Source: source, Column: "v", Difference: "0.01",
				Message: "declared more: " + entity}, Entity: entity, Period: p.Period})
		}
		p.Filed.Entities = append(
			p.Filed.Entities,
			pack.FiledRow{Entity: entity, Cells: []pack.FiledCell{{Status: status,
				Rows: Groups, Sources: []string{source}}}},
		)
		p.Sources = append(p.Sources, pack.Source{Source: source, Entity: entity, Period: p.Period, Rows: Groups,
			Totals: []amount.Amount{Cents(sum)}})
		p.Declared = append(
			p.Declared,
			pack.Declared{Source: source, Figure: "v", Declared: Cents(sum), Found: Cents(sum)},
		)
		b.Sources = append(b.Sources, block.Source{File: block.File{Name: source,
			SHA256: fmt.Sprintf("%064x", i)}, Source: source, Entity: entity, Size: 100})
	}
	for k, total := range totals {
		s.Lines = append(s.Lines, pack.SummaryLine{Kind: pack.Group, Key: []string{Account(k)}, Records: entities,
			Sums: []amount.Amount{Cents(total)}})
		lines = append(lines, block.Figure{Kind: block.OfGroup, Result: 1, Group: []string{Account(k)}, Rows: entities,
			Totals: []string{Cents(total).String()}})
	}
	s.Lines = append(s.Lines, pack.SummaryLine{Kind: pack.Total, Records: entities * Groups,
		Sums: []amount.Amount{Cents(all)}})
	p.Summaries = []pack.Summary{s}
	p.Proof = pack.Proof{Read: entities * Groups, Used: entities * Groups,
		Totals: []pack.ProofTotal{{Column: "v", Read: Cents(all), Used: Cents(all)}}}
	before := &block.Entry{Block: block.Block{Number: 1, Period: "2031-02", Rows: 10,
		Proof: block.Proof{Read: 10, Used: 10}, Totals: []block.Total{{Column: "v", Amount: "1000.00"}}}}
	b.Bridges = []block.Bridge{{Since: 1, Result: "by-account", Column: "v", Lines: []block.BridgeLine{
		{Label: "sealed", Amount: "1000.00"}, {Label: "new", Source: name(0) + "_2031-03.csv",
			Amount: Cents(all - 100_000).String()}, {Label: "now", Amount: Cents(all).String()}}}}
	e := &block.Entry{Block: b, Seal: fmt.Sprintf("%064d", 7)}
	r := pack.NewReport(p, pack.Sealed, e, b.Sources, &pack.Against{Entry: before, Sources: []block.Source{{
		Source: "alder_2031-02.csv", Period: "2031-02", Rows: 10, Totals: before.Totals}}})
	var err error
	r.Given, err = pack.Gather(&b, func(visit func(*block.Figure) error) error {
		for i := range lines {
			f := lines[i]
			if err := visit(&f); err != nil {
				return err
			}
		}
		return nil
	}, nil)
	if err != nil {
		panic(err) // of figures that were made here
	}
	return r
}
