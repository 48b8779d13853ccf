package reconcile_test

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"

	"lastblock/core/capability/reconcile"
	"lastblock/core/finding"
	"lastblock/core/format/delimited"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/core/tally"
	"lastblock/core/value/amount"
	"lastblock/core/value/equality"
	"lastblock/internal/sourcetest"
)

// outcome is a result, with its records as delimited text.
type outcome struct {
	*reconcile.Result
	columns, corrected []string
	rows, correctedAs  string
}

// lines are the records that have a status, without where they stand.
func (o *outcome) lines(status string) []string {
	var found []string
	for line := range strings.Lines(o.rows) {
		if strings.HasPrefix(line, status+",") {
			found = append(found, strings.TrimSuffix(line, "\n"))
		}
	}
	return found
}

func encode(dst []byte, texts [][]byte, _ []record.Kind) []byte {
	return delimited.AppendRecord(dst, texts, ',')
}

// run reconciles two files, or with a mirror the first one with itself.
func run(t testing.TB, here, there string, options reconcile.Options) *outcome {
	t.Helper()
	return runWith(t, sourcetest.Reading, here, there, options,
		reconcile.Writing{Encode: encode, Corrected: encode, Bare: true})
}

func runWith(t testing.TB, reading source.Reading, here, there string, options reconcile.Options,
	writing reconcile.Writing) *outcome {
	t.Helper()
	ctx := context.Background()
	options.Rows = true
	sides, err := reconcile.Read(ctx, sourcetest.Set(t, "", map[string]string{"here.csv": here}),
		sourcetest.Set(t, "", map[string]string{"there.csv": there}), reading, options)
	if err != nil {
		t.Fatal(err)
	}
	o := new(outcome)
	for _, c := range sides.Columns() {
		o.columns = append(o.columns, c.Name)
	}
	for _, c := range sides.CorrectedColumns(writing.Bare) {
		o.corrected = append(o.corrected, c.Name)
	}
	if o.Result, err = sides.Match(ctx, writing); err != nil {
		t.Fatal(err)
	}
	defer o.Close()
	var rows, corrected bytes.Buffer
	if err := o.Write(ctx, &rows); err != nil {
		t.Fatal(err)
	}
	if err := o.WriteCorrected(ctx, &corrected); err != nil {
		t.Fatal(err)
	}
	o.rows, o.correctedAs = rows.String(), corrected.String()
	return o
}

// counted writes the counts of all statuses: matches, records here and there.
func counted(o *outcome) string {
	var parts []string
	for _, s := range reconcile.Statuses() {
		c := o.Counts[s]
		parts = append(parts, fmt.Sprintf("%s %d %d %d", s, c.Matches, c.Here, c.There))
	}
	return strings.Join(parts, ", ")
}

// statement writes a statement, one line behind another.
func statement(s reconcile.Statement) string {
	var b strings.Builder
	for _, line := range s.Lines {
		fmt.Fprintf(&b, "%s|%d", line.Label, line.Count)
		for _, value := range line.Amounts {
			fmt.Fprintf(&b, "|%s", value)
		}
		b.WriteString("\n")
	}
	return b.String()
}

func money(text string) amount.Amount {
	value, err := amount.Parse([]byte(text), '.')
	if err != nil {
		panic(err)
	}
	return value
}

const hereText = `doc,posted,amount,text
D1,2031-01-05,100.00,Day pass
D2,2031-01-06,200.00,
D3,2031-01-07,300.00,x
D5,2031-01-09,50.00,
D5,2031-01-10,60.00,
D6,2031-01-11,70.00,
D7,2031-01-12,1.00,
D7,2031-01-12,1.00,
D8,2031-01-12,-5.00,
`

const thereText = `amount;text;doc;posted;fee
100,00;Day pass;D1;05 Jan 2031;1
200,50;;D2;06.01.2031;2
300,00;y;D3;08.01.2031;3
55,00;;D5;09.01.2031;4
65,00;;D5;10.01.2031;5
1,00;;D7;12.01.2031;6
5,00;;D8;12.01.2031;7
99,00;;D9;13.01.2031;8
`

func TestStatuses(t *testing.T) {
	o := run(t, hereText, thereText, reconcile.Options{Keys: [][]string{{"doc"}}, Totals: []string{"amount"}})
	// D1 agrees and so does one D7; D2, D3 and D8 differ; D6 and the second D7 are only
	// here, D9 is only there; D5 does not pair off.
	if got, want := counted(o), "agrees 2 2 2, differs 3 3 3, only-here 2 2 0, only-there 1 0 1, "+
		"ambiguous 1 2 2"; got != want {
		t.Errorf("the counts are %s, want %s", got, want)
	}
	want := `total per records|9|777.00
less only in the records|-2|-71.00
plus only in the reference|1|99.00
less ambiguous in the records|-2|-110.00
plus ambiguous in the reference|2|120.00
amount: other amounts (1 pair)|0|0.50
amount: opposite sign (1 pair)|0|10.00
total per reference|8|825.50
`
	if got := statement(o.Statement); got != want {
		t.Errorf("the statement is\n%s\nwant\n%s", got, want)
	}
	wantColumns := "status,pass,match,doc,doc there,posted,posted there,amount,amount there,amount " +
		"difference,text,text there,fee there,source there,source_line there,source,source_line"
	if got := strings.Join(o.columns, ","); got != wantColumns {
		t.Errorf("the columns are %s", got)
	}
	if got, want := o.lines("differs")[1], "differs,1,4,D3,D3,2031-01-07,08.01.2031,300.00,300.00,,x,y,3,there.csv,4"+
		",here.csv,4"; got != want {
		t.Errorf("a record that differs is\n%s, want\n%s", got, want)
	}
	for field, differs := range map[string]int{"posted": 1, "text": 1, "amount": 2} {
		at := slices.IndexFunc(o.Fields, func(f reconcile.Field) bool { return f.Column == field })
		if at < 0 || o.Fields[at].Differs != differs {
			t.Errorf("%s differs in %+v, want %d", field, o.Fields, differs)
		}
	}
	kinds := make(map[finding.Kind]int)
	for _, f := range o.Findings {
		kinds[f.Kind]++
		if f.Kind == finding.Ambiguous && !strings.Contains(f.Message,
			"twice in the records (here.csv, lines 5, 6) and twice in the reference (there.csv, lines 5, 6)") {
			t.Errorf("it says %q", f.Message)
		}
	}
	if kinds[finding.Differs] != 3 || kinds[finding.OnlyHere] != 2 || kinds[finding.OnlyThere] != 1 ||
		kinds[finding.Ambiguous] != 1 {
		t.Errorf("there are %v", kinds)
	}
}

// The corrected set has the preferred side's values, and what only the other one has.
func TestCorrected(t *testing.T) {
	options := reconcile.Options{Keys: [][]string{{"doc"}}, Totals: []string{"amount"}}
	for _, c := range []struct {
		there   bool
		records int
		total   string
		has     string
	}{
		{false, 10, "876.00", "D2,2031-01-06,200.00,,2\n"},                // all nine here, and D9
		{true, 10, "896.50", "D2,06.01.2031,200.50,,2\n"},                 // all eight there, D6 and a D7
		{true, 10, "896.50", "D6,2031-01-11,70.00,,\nD7,"},                // without a fee
		{false, 10, "876.00", "D5,2031-01-09,50.00,,\nD5,2031-01-10,60."}, // which fee is theirs does not show
	} {
		o := runWith(t, sourcetest.Reading, hereText, thereText, options,
			reconcile.Writing{Encode: encode, Corrected: encode, PreferThere: c.there, Bare: true})
		if o.Corrected.Records != c.records || o.Corrected.Totals[0].Cmp(money(c.total)) != 0 ||
			!strings.Contains(o.correctedAs, c.has) {
			t.Errorf("preferring there is %v: %+v\n%s", c.there, o.Corrected, o.correctedAs)
		}
		if got := strings.Join(o.corrected, ","); got != "doc,posted,amount,text,fee" {
			t.Errorf("its columns are %s", got)
		}
	}
}

// What the preferred side lacks is that of the other one's record, as its own source
// writes it.
func TestCorrectedFromSeveralSources(t *testing.T) {
	ctx := context.Background()
	here := sourcetest.Set(t, "", map[string]string{"a.csv": "k,v\n1,10.00\n", "b.csv": "k,v\n2,20.00\n",
		"c.csv": "k,v\n3,30.00\n"})
	there := sourcetest.Set(t, "", map[string]string{"d.csv": "k;v;fee\n1;10,00;0,50\n2;20,00;1,50\n3;30,00;2,50\n"})
	sides, err := reconcile.Read(ctx, here, there, sourcetest.Reading,
		reconcile.Options{Keys: [][]string{{"k"}}, Totals: []string{"v"}, Rows: true})
	if err != nil {
		t.Fatal(err)
	}
	r, err := sides.Match(ctx, reconcile.Writing{Corrected: encode})
	if err != nil {
		t.Fatal(err)
	}
	defer r.Close()
	var out bytes.Buffer
	if err := r.WriteCorrected(ctx, &out); err != nil {
		t.Fatal(err)
	}
	if want := "1,10.00,0.50,a.csv,2\n2,20.00,1.50,b.csv,2\n3,30.00,2.50,c.csv,2\n"; out.String() != want {
		t.Errorf("it is\n%s\nwant\n%s", out.String(), want)
	}
}

func TestKeys(t *testing.T) {
	zeros := equality.Loose{Zeros: true}
	for _, c := range []struct {
		name, here, there string
		options           reconcile.Options
		want              string
	}{
		{"codes are text", "k,v\n00417,1\n", "k,v\n417,1\n", reconcile.Options{}, "only-here 1, only-there 1"},
		{"leading zeros make no difference where it is said", "k,v\n00417,1\n", "k,v\n417,1\n",
			reconcile.Options{Loose: []reconcile.Loose{{Loose: zeros}}}, "agrees 1"},
		{"of one column of the key only", "k,v\n00417,01\n", "k,v\n417,1\n",
			reconcile.Options{Keys: [][]string{{"k", "v"}}, Loose: []reconcile.Loose{{Column: "k", Loose: zeros}}},
			"only-here 1, only-there 1"},
		{"blank keys belong to nothing", "k,v\n,1\n", "k,v\n,1\n", reconcile.Options{}, "only-here 1, only-there 1"},
		{"one blank of two columns is a key", "k,v\na,\n", "k,v\na,\n", reconcile.Options{Keys: [][]string{{"k", "v"}}},
			"agrees 1"},
		{"no key is another one's end", "k,v\nab,c\n", "k,v\na,bc\n", reconcile.Options{Keys: [][]string{{"k", "v"}}},
			"only-here 1, only-there 1"},
		{"amounts and dates are keys by what they mean", "k,v\n2031-01-05,1\n1.50,2\n", "k,v\n05 Jan 2031,1\n1.5,2\n",
			reconcile.Options{}, "agrees 2"},
		{"what is compared can be narrowed down", "k,v,w\na,1,x\n", "k,v,w\na,1,y\n",
			reconcile.Options{Compare: []string{"v"}}, "agrees 1"},
		{"a tolerance is inclusive", "k,v\na,1.00\nb,1.00\n", "k,v\na,1.05\nb,1.06\n",
			reconcile.Options{Tolerances: []reconcile.Tolerance{{"v", money("0.05"), false}}}, "agrees 1, differs 1"},
		{"a share is of the larger one", "k,v\na,95\nb,94\n", "k,v\na,-100\nb,100\na2,1\n",
			reconcile.Options{Tolerances: []reconcile.Tolerance{{"v", money("6"), true}}},
			"agrees 1, differs 1, only-there 1"},
		{"days", "k,v\na,2031-01-31\nb,2031-01-31\nc,x\n", "k,v\na,2031-02-02\nb,2031-02-03\nc,2031-01-01\n",
			reconcile.Options{Days: []reconcile.Days{{"v", 2}}}, "agrees 1, differs 2"},
		{"a blank amount is zero where it is one", "k,v\na,\n", "k,v\na,0.00\n",
			reconcile.Options{Totals: []string{"v"}}, "agrees 1"},
		{"elsewhere it is not", "k,v\na,\n", "k,v\na,0.00\n", reconcile.Options{}, "differs 1"},
		{"within a tolerance those pair off that have one other only", "k,v\na,1.00\na,2.00\n", "k,v\na,2.01\na,1.01\n",
			reconcile.Options{Tolerances: []reconcile.Tolerance{{"v", money("0.05"), false}}}, "agrees 2"},
		{"the first ones too, where more are left", "k,v\na,1.00\na,2.00\na,5\n", "k,v\na,1.01\na,9\na,8\n",
			reconcile.Options{Tolerances: []reconcile.Tolerance{{"v", money("0.05"), false}}},
			"agrees 1, ambiguous 1"},
		{"but none that has two others", "k,v\na,1.00\na,1.02\n", "k,v\na,1.01\na,9\na,8\n",
			reconcile.Options{Tolerances: []reconcile.Tolerance{{"v", money("0.05"), false}}}, "ambiguous 1"},
		{"sums of a key", "k,v\na,1.00\na,2.00\nb,1\n", "k,v\na,3.00\nb,1\nb,1\n",
			reconcile.Options{Sum: []string{"v"}}, "agrees 1, differs 1"},
		{"equal ones pair off, and one is left", "k,v\na,1\na,1\n", "k,v\na,1\n", reconcile.Options{},
			"agrees 1, only-here 1"},
		{"the last two pair off", "k,v\na,1\na,2\n", "k,v\na,1\na,3\n", reconcile.Options{}, "agrees 1, differs 1"},
		{"nothing here", "k,v\n", "k,v\na,1\n", reconcile.Options{}, "only-there 1"},
		{"nothing there", "k,v\na,1\n", "k,v\n", reconcile.Options{}, "only-here 1"},
		{"nothing at all", "k,v\n", "k,v\n", reconcile.Options{Totals: []string{"v"}}, ""},
	} {
		if c.options.Keys == nil {
			c.options.Keys = [][]string{{"k"}}
		}
		o := run(t, c.here, c.there, c.options)
		var parts []string
		for _, s := range reconcile.Statuses() {
			if n := o.Counts[s].Matches; n > 0 {
				parts = append(parts, fmt.Sprintf("%s %d", s, n))
			}
		}
		if got := strings.Join(parts, ", "); got != c.want {
			t.Errorf("%s: %s, want %s", c.name, got, c.want)
		}
	}
}

// What was brought together only because something makes no difference is told.
func TestLooseKeysAreTold(t *testing.T) {
	o := run(t, "k,v\n00417,1\n417,2\nB-1,3\n", "k,v\n417,1\nb1,3\n", reconcile.Options{
		Keys: [][]string{{"k"}}, Loose: []reconcile.Loose{{Loose: equality.Loose{Zeros: true, Case: true,
			Punctuation: true}}},
	})
	var messages []string
	for _, f := range o.Findings {
		if f.Kind == finding.LooseKey {
			messages = append(messages, string(f.Severity)+" "+f.Message)
		}
	}
	want := []string{
		"note 2 keys are the same only because of ⟨loose⟩, such as k 00417 in the records and k 417 in the reference",
		"review k 00417 and k 417 (here.csv, lines 2, 3) are different keys of one side, and the same only because " +
			"of ⟨loose⟩ case,zeros,punctuation",
	}
	if slices.Sort(messages); !slices.Equal(messages, want) {
		t.Errorf("it says\n%s", strings.Join(messages, "\n"))
	}
}

// Each pass takes what the ones before it have left, and says so.
func TestPasses(t *testing.T) {
	here := `doc,posted,party,amount
A1,2031-01-05,Eskerby,10.00
A2,2031-01-06,Eskerby,20.00
A3,2031-01-07,Corvane,30.00
A4,2031-01-08,Corvane,1.00
A5,2031-01-08,Corvane,2.00
A6,2031-01-08,Corvane,4.00
A7,2031-01-08,Dunmarrow,9.00
`
	there := `doc,posted,party,amount
A1,2031-01-05,Eskerby,10.00
B2,2031-01-07,Eskerby,20.00
B3,2031-01-20,Corvane,30.00
B4,2031-01-08,Corvane,7.00
B7,2031-01-08,Corvane,9.00
`
	o := run(t, here, there, reconcile.Options{
		Keys:   [][]string{{"doc"}, {"party", "amount", "posted"}, {"party", "amount"}},
		Days:   []reconcile.Days{{"posted", 2}},
		Totals: []string{"amount"}, Combine: 3, CombineWithin: []string{"party"},
	})
	var passes []int
	for _, p := range o.Passes {
		passes = append(passes, p.Matches)
	}
	if !slices.Equal(passes, []int{1, 1, 1, 1}) {
		t.Errorf("the passes match %v", passes)
	}
	// A3 and B3 lie 13 days apart, so that they differ; A7 and B7 have another party.
	if got, want := counted(o), "agrees 3 5 3, differs 1 1 1, only-here 1 1 0, only-there 1 0 1, "+
		"ambiguous 0 0 0"; got != want {
		t.Errorf("the counts are %s, want %s", got, want)
	}
	var combined []string
	for _, line := range o.lines("agrees") {
		if fields := strings.Split(line, ","); fields[1] == "4" {
			combined = append(combined, fields[2]+" "+fields[3]+" "+fields[4])
		}
	}
	if !slices.Equal(combined, []string{"5 A4 B4", "5 A5 ", "5 A6 "}) {
		t.Errorf("those that make one together are %q", combined)
	}
}

// Of several answers none is proposed, and none whose records are in another one.
func TestCombinationsAreUnique(t *testing.T) {
	for _, c := range []struct {
		name, here, there string
		within            string
		most              int
		want              int
	}{
		{"two make one", "1.00 2.00", "3.00", "", 2, 1},
		{"one makes two", "3.00", "1.00 2.00", "", 2, 1},
		{"three are more than two", "1.00 2.00 4.00", "7.00", "", 2, 0},
		{"three", "1.00 2.00 4.00", "7.00", "", 3, 1},
		{"four", "1.00 2.00 4.00 8.00", "15.00", "", 4, 1},
		{"five", "1.00 2.00 4.00 8.00 16.00", "31.00", "", 5, 1},
		{"six", "1.00 2.00 4.00 8.00 16.00 32.00", "63.00", "", 6, 1},
		{"two answers", "1.00 2.00 1.50 1.50", "3.00", "", 2, 0},
		{"answers of two sizes", "1.00 2.00 0.50 1.50", "3.00", "", 3, 0},
		{"one record in two answers", "1.00 2.00 5.00", "3.00 6.00", "", 2, 0},
		{"with a minus", "10.00 -3.00", "7.00", "", 2, 1},
		{"within the tolerance", "1.00 2.00", "3.02", "0.02", 2, 1},
		{"beyond it", "1.00 2.00", "3.03", "0.02", 2, 0},
		{"zero is nothing", "1.00 -1.00", "0.00", "", 2, 0},
	} {
		side := func(values, name string) string {
			text := "doc,amount\n"
			for i, value := range strings.Fields(values) {
				text += fmt.Sprintf("%s%d,%s\n", name, i, value)
			}
			return text
		}
		options := reconcile.Options{Keys: [][]string{{"doc"}}, Totals: []string{"amount"}, Combine: c.most}
		if c.within != "" {
			options.Tolerances = []reconcile.Tolerance{{"amount", money(c.within), false}}
		}
		if o := run(t, side(c.here, "H"), side(c.there, "T"), options); o.Passes[1].Matches != c.want {
			t.Errorf("%s: %d are found, want %d", c.name, o.Passes[1].Matches, c.want)
		}
	}
}

func TestByGroup(t *testing.T) {
	o := run(t, "k,g,v\n1,a,10\n2,a,20\n3,b,5\n", "k,g,v\n1,a,10\n2,b,21\n4,b,7\n", reconcile.Options{
		Keys: [][]string{{"k"}}, Totals: []string{"v"}, By: []string{"g"},
	})
	if len(o.Groups) != 2 {
		t.Fatalf("there are %d groups", len(o.Groups))
	}
	want := []string{
		"total per records|2|30\nless with another g in the reference|-1|-20\ntotal per reference|1|10\n",
		"total per records|1|5\nless only in the records|-1|-5\nplus only in the reference|1|7\nplus with another g " +
			"in the records|1|21\ntotal per " +
			"reference|2|28\n",
	}
	for i, s := range o.Groups {
		if got := statement(s); got != want[i] {
			t.Errorf("%s: the statement is\n%s\nwant\n%s", s.By, got, want[i])
		}
	}
}

func TestUnknownColumns(t *testing.T) {
	for flag, options := range map[string]reconcile.Options{
		"⟨key⟩":       {Keys: [][]string{{"kk"}}},
		"⟨then-key⟩":  {Keys: [][]string{{"k"}, {"kk"}}},
		"⟨total⟩":     {Keys: [][]string{{"k"}}, Totals: []string{"only"}},
		"⟨compare⟩":   {Keys: [][]string{{"k"}}, Compare: []string{"only"}},
		"⟨tolerance⟩": {Keys: [][]string{{"k"}}, Tolerances: []reconcile.Tolerance{{Column: "x"}}},
		"⟨days⟩":      {Keys: [][]string{{"k"}}, Days: []reconcile.Days{{Column: "x"}}},
		"⟨by⟩":        {Keys: [][]string{{"k"}}, By: []string{"x"}},
	} {
		_, err := reconcile.Read(context.Background(),
			sourcetest.Set(t, "", map[string]string{"a.csv": "k,v,only\n1,2,3\n"}),
			sourcetest.Set(t, "", map[string]string{"b.csv": "k,v\n1,2\n"}), sourcetest.Reading, options)
		var unknown *tally.UnknownColumnError
		if !errors.As(err, &unknown) || !strings.HasPrefix(err.Error(), flag+": ") {
			t.Errorf("%s: the error is %v", flag, err)
		}
	}
}

// What is no amount goes into suspense, on either side.
func TestSuspenseIsInTheProof(t *testing.T) {
	o := run(t, "k,v\n1,10\n2,x\n", "k,v\n1,10\n2,20\n3,\"1,2,3\"\n",
		reconcile.Options{Keys: [][]string{{"k"}}, Totals: []string{"v"}})
	p := o.Proof
	if p.Read != 5 || p.Used != 3 || p.Suspense != 2 || p.Totals[0].Used.String() != "40" {
		t.Errorf("the proof is %+v", p)
	}
}

// A source that lacks the key is told, as its records belong to nothing.
func TestASourceWithoutTheKey(t *testing.T) {
	ctx := context.Background()
	here := sourcetest.Set(t, "", map[string]string{"a.csv": "k,v\n1,10\n", "b.csv": "kk,v\n2,20\n"})
	there := sourcetest.Set(t, "", map[string]string{"c.csv": "k,v\n1,10\n2,20\n"})
	sides, err := reconcile.Read(ctx, here, there, sourcetest.Reading, reconcile.Options{Keys: [][]string{{"k"}}})
	if err != nil {
		t.Fatal(err)
	}
	r, err := sides.Match(ctx, reconcile.Writing{})
	if err != nil {
		t.Fatal(err)
	}
	defer r.Close()
	at := slices.IndexFunc(r.Findings, func(f finding.Finding) bool { return f.Kind == finding.MissingColumn })
	if at < 0 || r.Findings[at].Source != "b.csv" || r.Findings[at].Column != "k" ||
		r.Counts[reconcile.OnlyHere].Here != 1 || r.Counts[reconcile.OnlyThere].There != 1 {
		t.Errorf("it finds %+v", r.Findings)
	}
}
