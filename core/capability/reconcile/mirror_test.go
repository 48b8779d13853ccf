package reconcile_test

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"lastblock/core/capability/reconcile"
	"lastblock/core/finding"
	"lastblock/core/record"
	"lastblock/internal/sourcetest"
)

const balances = `entity,counterparty,pass_no,currency,period,balance
brackenfell,Corvane,P1,EUR,2031-01,100.00
corvane,Brackenfell,P1,CHF,2031-01,-95.00
brackenfell,Corvane,P2,EUR,2031-01,-20.00
corvane, BRACKENFELL,P2,CHF,2031-01,19.50
dunmarrow,Brackenfell,P3,EUR,2031-02,7.00
brackenfell,,P4,EUR,2031-01,3.00
eskerby,Eskerby,P5,EUR,2031-01,4.00
`

func rates(t *testing.T, text string) (*reconcile.Rates, error) {
	t.Helper()
	lines := strings.Split(strings.TrimSpace(text), "\n")
	var rows [][]string
	var at []int
	for i, line := range lines[1:] {
		rows, at = append(rows, strings.Split(line, ",")), append(at, i+2)
	}
	return reconcile.NewRates("rates.csv", record.NewLayout(strings.Split(lines[0], ",")), rows, at, '.')
}

func TestMirror(t *testing.T) {
	of, err := rates(t, "currency,month,rate\nEUR,2031-01,0.95\nEUR,,0.9\nchf,,1\n")
	if err != nil {
		t.Fatal(err)
	}
	mirror := &reconcile.Mirror{Entity: "entity", Counterparty: "counterparty", Rates: of, Currency: "currency",
		Date: "period"}
	ctx := context.Background()
	for _, keys := range [][][]string{{{"pass_no"}}, nil} {
		sides, err := reconcile.Read(ctx, sourcetest.Set(t, "", map[string]string{"a.csv": balances}), nil,
			sourcetest.Reading, reconcile.Options{Keys: keys, Totals: []string{"balance"}, Mirror: mirror})
		if err != nil {
			t.Fatal(err)
		}
		r, err := sides.Match(ctx, reconcile.Writing{})
		if err != nil {
			t.Fatal(err)
		}
		defer r.Close()
		var got []string
		for _, c := range r.Companies {
			got = append(got, fmt.Sprintf("%s %s %s %s %s", c.A, c.B, c.Here[0], c.There[0], c.Difference[0]))
		}
		// 100 - 20 EUR are 76.00; corvane owes 75.50. What dunmarrow has, brackenfell lacks.
		want := "brackenfell corvane 76.00 -75.50 0.50, brackenfell dunmarrow 0.00 6.30 6.30"
		if strings.Join(got, ", ") != want {
			t.Errorf("by %v: the companies are %s, want %s", keys, strings.Join(got, ", "), want)
		}
		if keys != nil && (r.Counts[reconcile.Agrees].Matches != 1 || r.Counts[reconcile.Differs].Matches != 1 ||
			r.Counts[reconcile.OnlyThere].Matches != 1) {
			t.Errorf("the counts are %+v", r.Counts)
		}
		if p := r.Proof; p.Read != 7 || p.Used != 5 || p.Dropped != 2 || p.Totals[0].Used.String() != "11.50" ||
			p.Totals[0].Dropped.String() != "7.00" {
			t.Errorf("the proof is %+v", p)
		}
		told := ""
		for _, f := range r.Findings {
			told += f.Message + "\n"
		}
		if !strings.Contains(told, "2 records have no other company as counterparty") ||
			keys != nil && !strings.Contains(told,
				"pass_no P3, 6.30: booked by dunmarrow about brackenfell, and not by brackenfell") {
			t.Errorf("it says\n%s", told)
		}
	}
}

// A rate for the day goes before one for its month, and that before one that always holds.
func TestWhichRateHolds(t *testing.T) {
	of, err := rates(t, "currency,date,rate\nEUR,,0.50\nEUR,2031-01,2\nEUR,2031-01-05,4\n")
	if err != nil {
		t.Fatal(err)
	}
	mirror := &reconcile.Mirror{Entity: "entity", Counterparty: "counterparty", Rates: of, Currency: "currency",
		Date: "day"}
	for day, want := range map[string]string{"2031-01-05": "40.00", "2031-01-06": "20.00", "2031-01": "20.00",
		"2031-02-05": "5.00"} {
		text := "entity,counterparty,currency,day,balance\ncorvane,eskerby,EUR," + day +
			",10.00\neskerby,corvane,EUR," + day + ",-10.00\n"
		sides, err := reconcile.Read(t.Context(), sourcetest.Set(t, "", map[string]string{"a.csv": text}), nil,
			sourcetest.Reading, reconcile.Options{Totals: []string{"balance"}, Mirror: mirror})
		if err != nil {
			t.Fatal(err)
		}
		r, err := sides.Match(t.Context(), reconcile.Writing{})
		if err != nil {
			t.Fatal(err)
		}
		if got := r.Companies[0].Here[0].String(); got != want {
			t.Errorf("10.00 EUR of %s are %s, want %s", day, got, want)
		}
		if err := r.Close(); err != nil {
			t.Error(err)
		}
	}
}

func TestWithoutARateIsSuspense(t *testing.T) {
	of, err := rates(t, "currency,rate\nEUR,0.95\n")
	if err != nil {
		t.Fatal(err)
	}
	ctx := context.Background()
	sides, err := reconcile.Read(ctx, sourcetest.Set(t, "", map[string]string{"a.csv": balances}), nil,
		sourcetest.Reading, reconcile.Options{
			Totals: []string{"balance"}, Mirror: &reconcile.Mirror{Entity: "entity", Counterparty: "counterparty",
				Rates: of, Currency: "currency", Date: "period"},
		})
	if err != nil {
		t.Fatal(err)
	}
	r, err := sides.Match(ctx, reconcile.Writing{})
	if err != nil {
		t.Fatal(err)
	}
	defer r.Close()
	if p := r.Proof; p.Suspense != 2 || p.Totals[0].Suspense.String() != "-75.50" {
		t.Errorf("the proof is %+v", p)
	}
	for _, f := range r.Findings {
		if f.Kind == finding.NoRate && (f.Count != 2 || f.Line != 3 || f.Key != "CHF 2031-01") {
			t.Errorf("it is told as %+v", f)
		}
	}
}

func TestRatesThatDoNotHold(t *testing.T) {
	for text, want := range map[string]string{
		"currency,month\nEUR,2031-01\n": "rates need the columns currency, rate",
		"currency,rate\nEUR,x\n":        `rates.csv line 2: "x" is no rate`,
		"currency,rate\nEUR,0\n":        `"0" is no rate`,
		"currency,date,rate\nEUR,2031-01-31,1\nEUR,31 Jan 2031,2\n": "rates.csv line 3: a second rate of EUR for " +
			"2031-01-31",
	} {
		if _, err := rates(t, text); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q: the error is %v", text, err)
		}
	}
}

// A rate may be for 100 of a currency, and its month may stand in any form that names of files have.
func TestRatesAsListsHaveThem(t *testing.T) {
	for list, want := range map[string]string{
		"currency,month,unit,rate\nJPY,2031-01,100,0.6125\n":                           "918.75",
		"currency,month,units,rate\nJPY,01.2031,1000,6.125\n":                          "918.75",
		"currency,month,per,rate\nJPY,Jan-31,,0.006125\n":                              "918.75",
		"currency,month,unit,rate\nJPY,31.01.2031,1,0.006125\n":                        "918.75",
		"currency,period,unit,rate\nJPY,202901,10,1\nJPY,January 2031,0.1,0.0006125\n": "918.75",
		"currency,date,unit,rate\nJPY,,100,0.6125\n":                                   "918.75",
	} {
		of, err := rates(t, list+"CHF,,1,1\n")
		if err != nil {
			t.Errorf("%s: %v", list, err)
			continue
		}
		mirror := &reconcile.Mirror{Entity: "entity", Counterparty: "counterparty", Rates: of, Currency: "currency",
			Date: "period"}
		set := sourcetest.Set(t, "", map[string]string{"a.csv": "entity,counterparty,currency,period,balance\n" +
			"corvane,eskerby,JPY,2031-01,150000\neskerby,corvane,CHF,2031-01,-918.75\n"})
		sides, err := reconcile.Read(t.Context(), set, nil, sourcetest.Reading, reconcile.Options{
			Totals: []string{"balance"}, Mirror: mirror})
		if err != nil {
			t.Fatal(err)
		}
		r, err := sides.Match(t.Context(), reconcile.Writing{})
		if err != nil {
			t.Fatal(err)
		}
		if c := r.Companies[0]; c.Here[0].String() != want || c.Difference[0].Sign() != 0 {
			t.Errorf("%s: it is %s, and the difference %s", list, c.Here[0], c.Difference[0])
		}
		r.Close()
	}
	for _, unit := range []string{"3", "0", "-100", "x"} {
		if _, err := rates(t, "currency,unit,rate\nJPY,"+unit+",1\n"); err == nil ||
			!strings.Contains(err.Error(), "rates.csv line 2: ") {
			t.Errorf("a unit of %s: %v", unit, err)
		}
	}
}
