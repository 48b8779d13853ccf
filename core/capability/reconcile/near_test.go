package reconcile_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"lastblock/core/capability/reconcile"
)

// pairsOf are the matches of a pass, as "H1 T2".
func pairsOf(o *outcome, pass string) []string {
	var list []string
	for line := range strings.Lines(o.rows) {
		if fields := strings.Split(line, ","); fields[1] == pass && fields[3] != "" && fields[4] != "" {
			list = append(list, fields[3]+" "+fields[4])
		}
	}
	slices.Sort(list)
	return list
}

func TestNearKeys(t *testing.T) {
	days := []reconcile.Days{{Column: "day", Most: 2}}
	cents := []reconcile.Tolerance{{Column: "amount", Within: money("0.05")}}
	percent := []reconcile.Tolerance{{Column: "amount", Within: money("1"), Percent: true}}
	for _, c := range []struct {
		name        string
		here, there string // records: day of January and amount
		key         []string
		days        []reconcile.Days
		tolerances  []reconcile.Tolerance
		want        string
	}{
		{"within the days", "1 10.00, 5 20.00", "3 10.00, 8 20.00", []string{"amount", "day"}, days, nil, "H0 T0"},
		{"what is the same goes first", "1 10.00, 2 10.00", "2 10.00, 3 10.00", []string{"amount", "day"}, days, nil,
			"H0 T1, H1 T0"},
		{"two neighbours are none", "1 10.00, 3 10.00", "2 10.00", []string{"amount", "day"}, days, nil, ""},
		{"nor is one that has another one", "2 10.00", "1 10.00, 3 10.00", []string{"amount", "day"}, days, nil, ""},
		{"amounts within cents", "1 10.00, 1 20.00", "1 10.05, 1 20.06", []string{"day", "amount"}, nil, cents,
			"H0 T0"},
		{"amounts within a share", "1 100.00, 1 200.00", "1 101.00, 1 203.00", []string{"day", "amount"}, nil, percent,
			"H0 T0"},
		{"both", "1 10.00, 9 10.00", "2 10.03, 12 10.00", []string{"day", "amount"}, days, cents, "H0 T0"},
		{"nothing but what may differ", "1 10.00, 20 10.00", "2 10.00, 18 50.00", []string{"day"}, days, nil,
			"H0 T0, H1 T1"},
		{"with signs", "1 -10.00", "1 10.00", []string{"day", "amount"}, nil, cents, ""},
		{"a blank day is near to nothing", "0 10.00", "0 10.00", []string{"amount", "day"}, days, nil, ""},
	} {
		side := func(records, letter string) string {
			text := "doc,day,amount\n"
			for i, record := range strings.Split(records, ", ") {
				day, amount, _ := strings.Cut(record, " ")
				if day != "0" {
					day = fmt.Sprintf("2031-01-%02s", day)
				} else {
					day = ""
				}
				text += fmt.Sprintf("%s%d,%s,%s\n", letter, i, day, amount)
			}
			return text
		}
		o := run(t, side(c.here, "H"), side(c.there, "T"), reconcile.Options{
			Keys: [][]string{{"doc"}, c.key}, Days: c.days, Tolerances: c.tolerances, Totals: []string{"amount"},
		})
		if got := strings.Join(pairsOf(o, "2"), ", "); got != c.want {
			t.Errorf("%s: %q, want %q", c.name, got, c.want)
		}
	}
}

// Random neighbours come out as comparing all with all has them.
func TestNeighboursAgainstComparingAll(t *testing.T) {
	for seed := range uint64(200) {
		r := rand.New(rand.NewPCG(seed, 13))
		var days [2][]int
		texts := [2]string{"doc,day\n", "doc,day\n"}
		used := make(map[int]bool) // no day twice, so that none is the same
		for side := range days {
			for i := range 1 + r.IntN(10) {
				day := 1 + r.IntN(200)
				for used[day] {
					day = 1 + r.IntN(200)
				}
				used[day] = true
				days[side] = append(days[side], day)
				texts[side] += fmt.Sprintf("%c%d,%s\n", "HT"[side], i, dayText(day))
			}
		}
		most := 1 + r.IntN(6)
		near := func(side, i int) (of []int) {
			for k, day := range days[1-side] {
				if abs(day-days[side][i]) <= most {
					of = append(of, k)
				}
			}
			return of
		}
		var want []string
		for i := range days[0] {
			if of := near(0, i); len(of) == 1 && len(near(1, of[0])) == 1 {
				want = append(want, fmt.Sprintf("H%d T%d", i, of[0]))
			}
		}
		slices.Sort(want)
		o := run(t, texts[0], texts[1], reconcile.Options{Keys: [][]string{{"doc"}, {"day"}},
			Days: []reconcile.Days{{Column: "day", Most: most}}})
		if got := pairsOf(o, "2"); !slices.Equal(got, want) {
			t.Errorf("seed %d: within %d of %v and %v are %q, want %q", seed, most, days[0], days[1], got, want)
		}
	}
}

// dayText is the n-th day of 2031.
func dayText(n int) string { return time.Date(2031, 1, n, 0, 0, 0, 0, time.UTC).Format(time.DateOnly) }

// Why two amounts differ is told in the statement.
func TestReasons(t *testing.T) {
	for _, c := range []struct{ here, there, want string }{
		{"10.00", "10.04", "within the tolerance"},
		{"10.00", "-10.00", "opposite sign"},
		{"12.50", "125.00", "decimal mark moved"},
		{"12500", "12.50", "decimal mark moved"},
		{"54.00", "45.00", "digits transposed"},
		{"1540.00", "1450.00", "digits transposed"},
		{"54.00", "63.00", "other amounts"}, // nine divides it, but the digits are others
		{"54.00", "-45.00", "other amounts"},
		{"10.00", "0.00", "zero or blank on one side"},
		{"", "7.00", "zero or blank on one side"},
		{"10.00", "17.00", "other amounts"},
	} {
		o := run(t, "k,v\na,"+c.here+"\n", "k,v\na,"+c.there+"\n", reconcile.Options{
			Keys: [][]string{{"k"}}, Totals: []string{"v"},
			Tolerances: []reconcile.Tolerance{{Column: "v", Within: money("0.05")}},
		})
		if got := o.Statement.Lines[1].Label; got != "v: "+c.want+" (1 pair)" {
			t.Errorf("%s and %s: %q, want %s", c.here, c.there, got, c.want)
		}
	}
}
