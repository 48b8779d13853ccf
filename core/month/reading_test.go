package month

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"reflect"
	"strings"
	"testing"

	"lastblock/core/capability/align"
	"lastblock/core/capability/collate"
	"lastblock/core/capability/doubles"
	"lastblock/core/capability/gauge"
	"lastblock/core/capability/intake"
	"lastblock/core/capability/reconcile"
	"lastblock/core/capability/rollup"
	"lastblock/core/capability/tieout"
	"lastblock/core/finding"
	"lastblock/core/finding/drop"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/internal/sourcetest"
)

// branches are files with all that makes a record go another way: amounts that are none,
// records that end early or have too many fields, quotes that are never closed, total lines that
// agree and that do not, the header once more, and records that stand several times.
func branches() map[string]string {
	r := rand.New(rand.NewPCG(2031, 11))
	files := make(map[string]string)
	for _, entity := range []string{"brackenfell", "corvane", "dunmarrow"} {
		for month := 1; month <= 3; month++ {
			var text strings.Builder
			text.WriteString("document,line,account,text,debit,credit\n")
			for n := range 400 {
				switch amount := r.IntN(10_000); r.IntN(40) {
				case 0:
					fmt.Fprintf(&text, "D%d,%d,%d,bad,12x,0\n", n, n, 4000+r.IntN(9))
				case 1:
					fmt.Fprintf(&text, "D%d,%d,%d,short,%d.25\n", n, n, 4000+r.IntN(9), amount)
				case 2:
					fmt.Fprintf(&text, "D%d,%d\n", n, n)
				case 3:
					fmt.Fprintf(&text, "D%d,%d,4000,\"open,1,0\n", n, n)
				case 4:
					text.WriteString("document,line,account,text,debit,credit\n")
				case 5:
					fmt.Fprintf(&text, "D%d,%d,4000,a,b,c,d,%d\n", n, n, amount)
				case 6:
					text.WriteString("D7,7,4001,twice,7.00,0\n")
				default:
					fmt.Fprintf(&text, "D%d,%d,%d,\"Day pass, %d\",%d.%02d,0.50\n", n, n, 4000+r.IntN(9), n, amount,
						r.IntN(100))
				}
			}
			if month == 2 {
				text.WriteString("Total,,,,1.00,1.00\n")
			}
			files[fmt.Sprintf("%s_2031-%02d.csv", entity, month)] = text.String()
		}
	}
	return files
}

// results are what a month end comes to, as far as it is compared.
type results struct {
	tieout, byEntity, byAccount, collated, doubles, gauge, intake, aligned, reconciled any
	findings                                                                           [9][]finding.Finding
	text, rows                                                                         string
}

// leftOut leaves a file and a record out, as somebody has decided. What is still to be found
// of it is kept in mind, so that each part of a run needs one of its own.
func leftOut() *drop.Set {
	set := new(drop.Set)
	set.File("corvane_2031-03.csv", drop.Reason{Kind: finding.SameFile, Text: "sent twice"})
	return set
}

// jobs are a tie-out, a search for doubles, two summaries and a collation.
type jobs struct {
	tieout             *tieout.Job
	doubles            *doubles.Job
	byEntity, byLedger *rollup.Job
	collate            *collate.Job
	gauge              *gauge.Job
	intake             *intake.Job
	align              *align.Job
	reconcile          *reconcile.Job // with itself, of which only the records are part of the run
	written            bytes.Buffer
}

func prepare(t testing.TB, set *source.Set, reading source.Reading) *jobs {
	t.Helper()
	j, ctx := new(jobs), context.Background()
	fail := func(err error) {
		if err != nil {
			t.Fatal(err)
		}
	}
	fail(set.Look(ctx, reading))
	j.tieout = tieout.Prepare(set, reading, tieout.Options{Totals: []string{"debit", "credit"},
		HashTotals: []string{"account"}, Checks: []tieout.Check{&tieout.Balance{Left: "debit", Right: "credit",
			By: "document"}}, Drop: leftOut()})
	var err error
	j.doubles, err = doubles.Prepare(ctx, set, reading,
		doubles.Options{Totals: []string{"debit"}, Share: doubles.DefaultShare, Drop: leftOut()})
	fail(err)
	j.byEntity, err = rollup.Prepare(ctx, set, reading,
		rollup.Options{By: []string{"entity"}, Sum: []string{"debit"}, Across: "period", Drop: leftOut()})
	fail(err)
	j.byLedger, err = rollup.Prepare(ctx, set, reading,
		rollup.Options{By: []string{"account"}, Sum: []string{"debit", "credit"}, Drop: leftOut()})
	fail(err)
	plan, err := collate.Prepare(ctx, set, reading,
		collate.Options{Totals: []string{"debit"}, Delimiter: ',', Drop: leftOut()})
	fail(err)
	j.collate, err = plan.Begin(ctx, &j.written)
	fail(err)
	j.gauge, j.intake = gauge.Prepare(set, reading, gauge.Options{Frequent: 2}),
		intake.Prepare(set, intake.Options{Head: 2})
	j.align, err = align.Prepare(ctx, set, reading,
		align.Options{Key: []string{"document"}, Totals: []string{"debit"}, Drop: leftOut()})
	fail(err)
	j.reconcile, err = reconcile.Prepare(ctx, set, set, reading, reconcile.Options{
		Keys: [][]string{{"document", "line"}}, Totals: []string{"credit"}, Compare: []string{"text"},
		Drop: [2]*drop.Set{leftOut(), leftOut()},
	})
	fail(err)
	return j
}

func (j *jobs) members() []source.Member {
	return []source.Member{j.tieout, j.doubles, j.byEntity, j.byLedger, j.collate, j.gauge, j.intake, j.align,
		j.reconcile.Here()}
}

func (j *jobs) finish(t testing.TB) (r results) {
	t.Helper()
	ctx := context.Background()
	rows := func(job *rollup.Job, at int) any {
		result, err := job.Finish()
		if err != nil {
			t.Fatal(err)
		}
		defer result.Close()
		rows, err := result.Rows()
		if err != nil {
			t.Fatal(err)
		}
		r.findings[at] = result.Findings
		return []any{fmt.Sprint(rows), result.Proof}
	}
	tied, err := j.tieout.Finish(ctx)
	if err != nil {
		t.Fatal(err)
	}
	r.tieout, r.findings[0] = []any{tied.Sources, tied.Totals, tied.Proof}, tied.Findings
	found, err := j.doubles.Finish(ctx)
	if err != nil {
		t.Fatal(err)
	}
	r.doubles, r.findings[1] = found.Proof, found.Findings
	r.byEntity, r.byAccount = rows(j.byEntity, 2), rows(j.byLedger, 3)
	collated, err := j.collate.Finish()
	if err != nil {
		t.Fatal(err)
	}
	r.collated, r.findings[4], r.text = []any{collated.Records, collated.Proof}, collated.Findings, j.written.String()
	described, err := j.gauge.Finish()
	if err != nil {
		t.Fatal(err)
	}
	r.gauge, r.findings[5] = []any{described.Columns, described.Proof}, described.Findings
	arrived, err := j.intake.Finish()
	if err != nil {
		t.Fatal(err)
	}
	r.intake, r.findings[6] = []any{arrived.Columns, arrived.Rows, arrived.Proof}, arrived.Findings
	j.finishMatching(t, &r)
	return r
}

// finishMatching finishes what brings records together by key.
func (j *jobs) finishMatching(t testing.TB, r *results) {
	t.Helper()
	ctx := context.Background()
	fail := func(err error) {
		if err != nil {
			t.Fatal(err)
		}
	}
	sources, err := j.align.Finish()
	fail(err)
	encode := func(dst []byte, texts [][]byte, _ []record.Kind) []byte { return fmt.Appendf(dst, "%q\n", texts) }
	aligned, err := sources.Align(ctx, encode)
	fail(err)
	var rows bytes.Buffer
	fail(aligned.Write(ctx, &rows))
	r.aligned, r.findings[7], r.rows = []any{aligned.Keys, aligned.Present, aligned.Proof}, aligned.Findings,
		rows.String()
	fail(aligned.Close())
	sides, err := j.reconcile.Finish()
	fail(err)
	matched, err := sides.Match(ctx, reconcile.Writing{})
	fail(err)
	r.reconciled, r.findings[8] = []any{matched.Counts, matched.Fields, matched.Statement, matched.Proof},
		matched.Findings
	fail(matched.Close())
}

// What is read once for all comes to what each comes to alone, however many cores read.
func TestOneReadingIsLikeSeveral(t *testing.T) {
	set := sourcetest.Set(t, "{entity}_{period}", branches())
	for _, jobs := range []int{1, 3} {
		reading := source.Reading{Jobs: jobs, Memory: 1 << 28}
		together := prepare(t, set, reading)
		if err := set.ScanFor(t.Context(), reading, together.members()...); err != nil {
			t.Fatal(err)
		}
		readReference(t, set, reading, together)
		apart := prepare(t, set, reading)
		for _, member := range apart.members() {
			if err := set.Scan(t.Context(), reading, member.Visitor); err != nil {
				t.Fatal(err)
			}
		}
		readReference(t, set, reading, apart)
		got, want := together.finish(t), apart.finish(t)
		gotFields, wantFields := reflect.ValueOf(got), reflect.ValueOf(want)
		for i := range gotFields.NumField() {
			if a, b := fmt.Sprintf("%+v", gotFields.Field(i)), fmt.Sprintf("%+v", wantFields.Field(i)); a != b {
				t.Errorf("with %d cores, %s of one reading is\n%.2000s\nand of several\n%.2000s", jobs,
					gotFields.Type().Field(i).Name, a, b)
			}
		}
		if len(got.rows) < 1000 || fmt.Sprint(got.reconciled) == "" {
			t.Errorf("%d bytes were aligned", len(got.rows))
		}
		if len(got.findings[0]) < 20 || len(got.findings[1]) == 0 || !strings.Contains(got.text, "Day pass") {
			t.Errorf("there is little to compare: %d findings, %d doubles, %d bytes", len(got.findings[0]),
				len(got.findings[1]), len(got.text))
		}
	}
}

// readReference reads what records are reconciled with.
func readReference(t *testing.T, set *source.Set, reading source.Reading, j *jobs) {
	t.Helper()
	if err := set.Scan(t.Context(), reading, j.reconcile.There().Visitor); err != nil {
		t.Fatal(err)
	}
}

// deaf counts nothing of what it is shown.
type deaf struct{}

func (deaf) Visitor() source.Visitor          { return deaf{} }
func (deaf) Read() int                        { return 0 }
func (deaf) Batch(*source.Batch) error        { return nil }
func (deaf) Flush(context.Context, int) error { return nil }

// A part of a run that has not read what the others have is an error.
func TestThePartsOfARunReadTheSame(t *testing.T) {
	set := sourcetest.Set(t, "", map[string]string{"a.csv": "doc,debit\nD1,5\nD2,7\n"})
	reading := source.Reading{Jobs: 2, Memory: 1 << 26}
	err := set.ScanFor(t.Context(), reading, tieout.Prepare(set, reading, tieout.Options{}), deaf{})
	var fanned *source.FannedError
	if !errors.As(err, &fanned) || fanned.Member != 1 || fanned.Given != 2 {
		t.Errorf("the error is %v", err)
	}
}
