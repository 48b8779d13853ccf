package pack

import (
	"bytes"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"lastblock/core/finding"
	"lastblock/core/month/block"
	"lastblock/core/value/amount"
)

func cents(n int64) amount.Amount { return amount.New(n, 2) }

// What was written is read as it was, amounts to the last digit.
func TestAPackIsReadAsItWasWritten(t *testing.T) {
	value := amount.New(123456789012345678, 4)
	p := &Pack{Period: "2031-03", Verdict: block.Failed, Since: 2,
		Filed: &Filed{
			Periods:  []string{"2031-03"},
			Entities: []FiledRow{{"alder", []FiledCell{{"filed", 3, []string{"a"}}}}},
		},
		Summaries: []Summary{{Name: "s", By: []string{"account"}, Column: "period", Across: []string{"1", "2"},
			Sums: []string{"v"}, Lines: []SummaryLine{{Kind: Group, Key: []string{"4"}, Records: 1,
				Sums: []amount.Amount{value}, Cells: [][]*amount.Amount{{&value}, nil}}}}},
		Declared: []Declared{{Source: "a", Figure: "rows", Declared: value, Found: value}},
		Doubles:  &Doubles{Totals: []string{"v"}, Kinds: []DoubleRow{{Kind: "record-twice", Findings: 1}}},
		Reconciliations: []Reconciliation{{Name: "r", Totals: []string{"v"}, Statements: []Statement{
			{Lines: []StatementLine{{"here", 1, []amount.Amount{value}}}}, {Group: []string{"x"}}}}},
		Grids: []Grid{{Name: "g", By: []string{"row", "column"}, Forms: 1, Blocks: []GridBlock{{
			Rows: []GridLine{{Name: "1"}, {Name: "2", Total: true}}, Columns: []GridLine{{Name: "A"}, {Name: "B"}},
			Figures: []GridFigure{{&value, "A1"}, {nil, "B1"}, {&value, "A2"}, {&value, "B2"}}}}}},
		Findings:   []Finding{{Finding: finding.Finding{ID: "abcdefgh", Message: "<b>"}, Entity: "alder"}},
		Sources:    []Source{{Source: "a", Totals: []amount.Amount{value}}},
		PassedOver: []PassedOver{{"z.pdf", "format"}},
		Proof:      Proof{Totals: []ProofTotal{{Column: "v", Read: value}}}}
	used := make(map[int]int)
	known := newKnown(func(number int) { used[number]++ })
	packs := make(map[int]string)
	write := func(number int) (text string) {
		t.Helper()
		var written bytes.Buffer
		if err := p.Write(&written, known); err != nil {
			t.Fatal(err)
		}
		packs[number] = written.String()
		if err := known.note(number, strings.NewReader(packs[number])); err != nil {
			t.Fatal(err)
		}
		return packs[number]
	}
	lines := func(number int) (lines [][]byte, err error) {
		for line := range strings.Lines(packs[number]) {
			lines = append(lines, []byte(strings.TrimSuffix(line, "\n")))
		}
		return lines, nil
	}
	same := func(text string) {
		t.Helper()
		got, err := Read(strings.NewReader(text), lines)
		if err != nil {
			t.Fatal(err)
		}
		want, _ := json.Marshal(p)
		got.Version = 0 // which a pack has once it is written
		if again, _ := json.Marshal(got); !bytes.Equal(again, want) {
			t.Errorf("read\n%s\nwritten\n%s", again, want)
		}
		if cells := got.Summaries[0].Lines[0].Cells; cells[0][0].String() != "12345678901234.5678" || cells[1] != nil {
			t.Errorf("cells are %v", cells)
		}
	}
	text := write(1)
	same(text)
	if len(used) > 0 {
		t.Errorf("what nobody has written is used of %v", used)
	}
	// Of a pack that is the same nothing but the beginning is written; of one in which something is another, that.
	same(write(2))
	if want := strings.SplitAfter(text, "\n")[0] + fmt.Sprintf("[1,2,%d]\n", strings.Count(text,
		"\n")-1); packs[2] != want {
		t.Errorf("the same again is\n%s\nwant\n%s", packs[2], want)
	}
	p.Sources = append([]Source{{Source: "0", Rows: 7, Totals: []amount.Amount{value}}}, p.Sources...)
	p.Findings[0].Message = "another"
	third := write(3)
	same(third)
	if strings.Count(third, "\"another\"") != 1 || strings.Count(third,
		"\"summary\"") != 0 || used[1] != 3 || used[2] != 0 {
		t.Errorf("a pack that differs is\n%s, and of %v something is used", third, used)
	}
	whole, err := json.Marshal(p) // of version 1
	if err != nil {
		t.Fatal(err)
	}
	same(strings.Replace(string(whole), `"version":0`, `"version":1`, 1) + "\n")
	newer := strings.Replace(text, `"version":2`, `"version":9`, 1)
	if _, err := Read(strings.NewReader(newer), lines); err == nil || !strings.Contains(err.Error(),
		"newer Lastblock") {
		t.Errorf("of a newer version: %v", err)
	}
	for _, torn := range []string{"", text[:40], text[:len(text)-9], packs[2][:len(packs[2])-9] + "[1,2,99]\n",
		"{}\n{\"line\":{}}\n", "{}\n[1,0,1]\n"} {
		if _, err := Read(strings.NewReader(torn), lines); err == nil {
			t.Errorf("a torn pack was read: %s", torn)
		}
	}
}

// given is a block with a summary of groups that sources gave something to, and its figures.
type given struct {
	block  block.Block
	lines  []block.Figure
	totals map[string]int64 // by group
	by     map[string]int64 // by group and source
}

func planted(sources, groups int) *given {
	r := rand.New(rand.NewPCG(3, uint64(sources)))
	g := &given{totals: make(map[string]int64), by: make(map[string]int64)}
	g.block.Results = []block.Result{{Command: "collate"}, {Command: "rollup", Title: "s", By: []string{"account"},
		Totals: []block.Total{{Column: "v", Amount: "0"}}}}
	for i := range sources {
		name, sum := fmt.Sprintf("source %d", i), int64(0)
		var own []block.Figure
		for k := range groups {
			n, key := r.Int64N(100_000)-30_000, fmt.Sprint(4000+k)
			g.totals[key] += n
			g.by[key+" "+name], sum = n, sum+n
			own = append(own, block.Figure{Kind: block.OfWithin, Result: 2, Source: name, Group: []string{key}, Rows: 1,
				Place: fmt.Sprintf("%d-%d", k+2, k+9), Totals: []string{cents(n).String()}})
		}
		g.lines = append(append(g.lines, block.Figure{Kind: block.OfGiven, Result: 2, Source: name, Rows: groups,
			Totals: []string{cents(sum).String()}}), own...)
		g.totals[""] += sum
	}
	for key, n := range g.totals {
		if key != "" {
			g.lines = append(g.lines, block.Figure{Kind: block.OfGroup, Result: 2, Group: []string{key}, Rows: sources,
				Totals: []string{cents(n).String()}})
		}
	}
	return g
}

func (g *given) figures(visit func(*block.Figure) error) error {
	for i := range g.lines {
		f := g.lines[i]
		if err := visit(&f); err != nil {
			return err
		}
	}
	return nil
}

// What is listed of a figure and what is not come to the figure, the largest are listed, and each is what its source
// gave.
func TestFiguresFoot(t *testing.T) {
	for _, sources := range []int{1, 7, MostFrom, 2*MostFrom + 345} {
		p := planted(sources, 6)
		g, err := Gather(&p.block, p.figures, nil)
		if err != nil {
			t.Fatal(err)
		}
		for key, total := range p.totals {
			var of []string
			if key != "" {
				of = []string{key}
			}
			f := g.Of("rollup", "s", of)
			if f == nil || f.Totals[0].Cmp(cents(total)) != 0 {
				t.Fatalf("of %d sources, %q is %+v, want %s", sources, key, f, cents(total))
			}
			sum, least := amount.Amount{}, int64(-1)
			for _, from := range f.From {
				sum = sum.Add(from.Totals[0])
				n := p.by[key+" "+from.Source]
				if key != "" && (from.Totals[0].Cmp(cents(n)) != 0 || from.Place == "") {
					t.Fatalf("%s gave %+v, want %s", from.Source, from, cents(n))
				}
				if key != "" {
					least = max(n, -n)
				}
			}
			if f.Others.Totals != nil {
				sum = sum.Add(f.Others.Totals[0])
			}
			if n := len(f.From) + f.Others.Sources; n != sources || len(f.From) != min(sources, MostFrom) ||
				sum.Cmp(cents(total)) != 0 {
				t.Errorf("of %d sources %d are listed and %d not, which come to %s, want %s", sources, len(f.From),
					f.Others.Sources, sum, cents(total))
			}
			listed := make(map[string]bool)
			for _, from := range f.From {
				listed[from.Source] = true
			}
			for of, n := range p.by {
				group, source, _ := strings.Cut(of, " ")
				if group == key && max(n, -n) > least && !listed[source] {
					t.Fatalf("%s gave %s to %s and is not listed", source, cents(n), key)
				}
			}
		}
		if g.Of("rollup", "s", []string{"9999"}) != nil || g.Of("collate", "collate", nil) != nil {
			t.Error("something is known of a figure that there is not")
		}
	}
}

// Together is what sources gave to several figures.
func TestFiguresTogether(t *testing.T) {
	p := planted(9, 5)
	g, err := Gather(&p.block, p.figures, nil)
	if err != nil {
		t.Fatal(err)
	}
	all, one := g.Together("rollup", "s", nil, nil), g.Together("rollup", "s", []string{"4001"}, nil)
	if all.Totals[0].Cmp(cents(p.totals[""])) != 0 || len(all.From) != 9 || all.From[0].Rows != 5 ||
		all.From[0].Place != "" {
		t.Errorf("all together are %+v", all)
	}
	if one.Totals[0].Cmp(cents(p.totals["4001"])) != 0 || one.From[0].Place != "3-10" {
		t.Errorf("4001 is %+v", one)
	}
}

// secrets is a report of three companies, of which each name and figure tells whose it is.
func secrets(t *testing.T) (r *Report, b *block.Block, figures Figures) {
	t.Helper()
	b = &block.Block{Results: []block.Result{{Command: "rollup", Title: "s", By: []string{"account", "unit"},
		Totals: []block.Total{
			{Column: "v", Amount: "0"},
		}}, {Command: "overlay", Title: "g", By: []string{"row", "column"},
		Totals: []block.Total{{Column: "value", Amount: "0"}}}}}
	p := &Pack{Period: "2031-03", Verdict: block.Failed, Filed: &Filed{Periods: []string{"2031-03"}},
		Doubles: &Doubles{Totals: []string{"v"}, Pairs: []DoublePair{{A: "alder", B: "beech"}}}}
	summary := Summary{
		Name:   "s",
		By:     []string{"account"},
		Column: "unit",
		Across: []string{"u1", "u2"},
		Sums:   []string{"v"},
	}
	grid := Grid{Name: "g", By: []string{"row", "column"}, Blocks: []GridBlock{{
		Rows: []GridLine{{Name: "rent"}, {Name: "only beech has it"}}, Columns: []GridLine{{Name: "01"}}}}}
	rec := Reconciliation{Name: "bank", By: []string{"entity"}, Totals: []string{"v"},
		Statements: []Statement{{Lines: []StatementLine{{Label: "total", Amounts: []amount.Amount{cents(99999901)}}}}}}
	var lines []block.Figure
	for i, name := range []string{"alder", "beech", "cedar"} {
		own := func(n int64) amount.Amount { return cents([]int64{1, 4, 7}[i]*11_111_100 + n) } // 1111…, 4444…, 7777…
		source, form := name+"_2031-03.csv", name+"_budget.xlsx"
		p.Filed.Entities = append(p.Filed.Entities, FiledRow{name, []FiledCell{{"filed", 5, []string{source}}}})
		p.Sources = append(p.Sources, Source{Source: source, Entity: name, Period: "2031-03", Rows: 5,
			Totals: []amount.Amount{own(0)}}, Source{Source: form, Of: "g", Entity: name, Rows: 1,
			Totals: []amount.Amount{own(9)}})
		p.Declared = append(p.Declared, Declared{Source: source, Figure: "v", Declared: own(1), Found: own(0)})
		for k, unit := range []string{"u1", "u2"} {
			lines = append(lines, block.Figure{Kind: block.OfWithin, Result: 1, Source: source,
				Group: []string{"of all", unit}, Rows: 1, Totals: []string{own(int64(20 + k)).String()}})
		}
		lines = append(lines, block.Figure{Kind: block.OfWithin, Result: 2, Source: form, Group: []string{"rent", "01"},
			Rows: 1, Totals: []string{own(9).String()}, Place: "B2"})
		if name == "beech" {
			lines = append(lines, block.Figure{Kind: block.OfWithin, Result: 2, Source: form,
				Group: []string{"only beech has it", "01"}, Rows: 1, Totals: []string{own(8).String()}})
		}
		rec.Statements = append(rec.Statements, Statement{Group: []string{name},
			Lines: []StatementLine{{Label: "total", Amounts: []amount.Amount{own(30)}}}})
		other := []string{"beech", "cedar", "alder"}[i]
		p.Findings = append(p.Findings,
			Finding{Finding: finding.Finding{ID: "f" + name, Source: source, Severity: finding.Stop,
				Message: "declared " + own(1).String(), Difference: own(2).String()}, Entity: name},
			Finding{Finding: finding.Finding{ID: "d" + name, Kind: finding.SameRecord, Source: source,
				Severity: finding.Review, Message: "stands in " + other + "_2031-03.csv, too", Found: own(3).String(),
				Accepted: "as " + other + " sends it", Places: []finding.Place{{Letter: "A", Source: source},
					{Letter: "B", Source: other + "_2031-03.csv"}}}, Entity: name},
			Finding{Finding: finding.Finding{ID: "m" + name, Kind: finding.Differs, Source: source,
				Severity: finding.Stop, Message: "there it is 55555.55"}, Entity: name, Mutual: true})
	}
	zero := cents(0)
	grid.Blocks[0].Figures = []GridFigure{{Amount: &zero, Cell: "B2"}, {Amount: &zero, Cell: "B3"}}
	summary.Lines = []SummaryLine{{Kind: Total, Sums: []amount.Amount{cents(133_333_200)}}}
	p.Summaries, p.Grids, p.Reconciliations = []Summary{summary}, []Grid{grid}, []Reconciliation{rec}
	p.PassedOver = []PassedOver{{"beech_2031-04.csv", "later than 2031-03"}}
	e := &block.Entry{Block: *b}
	e.Period, e.Reason = "2031-03", "beech is late"
	e.Bridges = []block.Bridge{{Since: 1, Result: "s", Column: "v", Lines: []block.BridgeLine{
		{Label: "sealed", Amount: "123456.78"}, {Label: "new", Source: "alder_2031-03.csv", Amount: "111111.00"},
		{Label: "new", Source: "beech_2031-03.csv", Amount: "222222.00"}, {Label: "now", Amount: "234567.89"}}}}
	r = NewReport(p, Sealed, e, []block.Source{{Source: "beech_2031-03.csv"}, {Source: "alder_2031-03.csv"}}, nil)
	return r, b, func(visit func(*block.Figure) error) error {
		for i := range lines {
			f := lines[i]
			if err := visit(&f); err != nil {
				return err
			}
		}
		return nil
	}
}

// A branch gets its own, and nothing that tells anything of others.
func TestAReportForOne(t *testing.T) {
	r, b, figures := secrets(t)
	isOwn, err := r.Own("Alder")
	if err != nil {
		t.Fatal(err)
	}
	given, err := Gather(b, figures, isOwn)
	if err != nil {
		t.Fatal(err)
	}
	own, err := r.For("Alder", given)
	if err != nil {
		t.Fatal(err)
	}
	data, err := json.Marshal(own)
	if err != nil {
		t.Fatal(err)
	}
	text := string(data)
	for _, f := range append(given.all("rollup", "s"), given.all("overlay", "g")...) {
		text += fmt.Sprintf("%+v", *f)
	}
	for _, secret := range []string{"beech", "cedar", "444444", "777777", "1333332", "999999.01", "123456.78",
		"234567.89",
		"55555.55"} {
		if strings.Contains(strings.ToLower(text), secret) {
			t.Errorf("it tells of %s:\n%s", secret, text)
		}
	}
	if len(own.Sources) != 2 || len(own.Files) != 1 || len(own.Declared) != 1 || len(own.Filed.Entities) != 1 ||
		len(own.Findings) != 3 || own.Verdict != block.Failed || own.Proof.Read != 5 {
		t.Errorf("it has %s", data)
	}
	if f := own.Findings[0]; f.Difference != "111111.02" || f.Message != "declared 111111.01" {
		t.Errorf("its own finding is %+v", f)
	}
	s := own.Summaries[0]
	line := s.Lines[0]
	if len(s.Lines) != 2 || line.Records != 2 || line.Sums[0].Cmp(cents(11_111_120+11_111_121)) != 0 ||
		line.Cells[1][0].String() != "111111.21" ||
		s.Lines[1].Sums[0].Cmp(line.Sums[0]) != 0 {
		t.Errorf("its summary is %+v", s)
	}
	g := own.Grids[0]
	if g.Forms != 1 || len(g.Blocks[0].Rows) != 1 || g.Blocks[0].Figures[0].Amount.String() != "111111.09" {
		t.Errorf("its grid is %+v", g)
	}
	if st := own.Reconciliations[0].Statements; len(st) != 1 || st[0].Lines[0].Amounts[0].String() != "111111.30" {
		t.Errorf("its statements are %+v", st)
	}
	if len(own.Bridges) != 1 || len(own.Bridges[0].Lines) != 1 {
		t.Errorf("its bridges are %+v", own.Bridges)
	}
	if _, err := r.Own("aldre"); err == nil || !strings.Contains(err.Error(), "did you mean alder?") {
		t.Errorf("an unknown entity: %v", err)
	}
}

// Of blocks that have no pack what else they tell is shown, and of those that have one all of it.
func TestReportsOfAllVersions(t *testing.T) {
	for version := 1; version <= block.Version; version++ {
		folder := filepath.Join("..", "block", "testdata", fmt.Sprintf("version-%d", version))
		chain, err := block.Read(folder, "lastblock.toml")
		if err != nil {
			t.Fatal(err)
		}
		e := chain.Last()
		sources, err := chain.Sources(e)
		if err != nil {
			t.Fatal(err)
		}
		figures := func(visit func(*block.Figure) error) error { return chain.Figures(e, nil, visit) }
		p, err := OfBlock(chain, e, sources, figures)
		if err != nil {
			t.Fatal(err)
		}
		at := slices.IndexFunc(p.Summaries, func(s Summary) bool { return s.Name == "by-account" })
		if p.Period != "2031-02" || p.Since != 2 || len(p.Sources) != 10 || p.Proof.Read != 140 || at < 0 {
			t.Fatalf("version %d: %+v", version, p)
		}
		s := p.Summaries[at]
		total := s.Lines[len(s.Lines)-1]
		if len(s.Lines) != s.Groups+1 || total.Kind != Total || total.Sums[0].String() != "174022.72" ||
			s.Lines[5].Key[0] != "04100" || s.Lines[5].Sums[1].String() != "22947.97" {
			t.Errorf("version %d: its summary is %+v", version, s)
		}
		g, err := Gather(&e.Block, figures, nil)
		if err != nil {
			t.Fatal(err)
		}
		f := g.Of("rollup", "by-account", []string{"04100"})
		if f == nil || len(f.From) == 0 || (f.From[0].Place != "") != (version > 1) {
			t.Errorf("version %d: 04100 is %+v", version, f)
		}
	}
}
