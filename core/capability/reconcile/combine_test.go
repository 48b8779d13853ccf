package reconcile_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"lastblock/core/capability/reconcile"
)

// subsets are all subsets of up to most indices whose amounts come to a sum within a
// tolerance, found by trying every one.
func subsets(amounts []int, most, sum, within int) [][]int {
	var found [][]int
	for mask := 1; mask < 1<<len(amounts); mask++ {
		var chosen []int
		total := 0
		for i, value := range amounts {
			if mask>>i&1 == 1 {
				chosen = append(chosen, i)
				total += value
			}
		}
		if len(chosen) <= most && total >= sum-within && total <= sum+within &&
			!slices.ContainsFunc(chosen, func(i int) bool { return amounts[i] == 0 }) {
			found = append(found, chosen)
		}
	}
	return found
}

// What is found is what trying everything finds: of each record the only answer, a single
// record that would do included, unless one of its records is in any answer of another one.
func TestCombinationsAgainstTryingEverything(t *testing.T) {
	taken := 0
	for seed := range uint64(300) {
		r := rand.New(rand.NewPCG(seed, 12))
		var sides [2][]int
		for side := range sides {
			for range 1 + r.IntN(8) {
				sides[side] = append(sides[side], r.IntN(60)-15)
			}
		}
		most, within := 2+r.IntN(4), 0
		if r.IntN(3) == 0 {
			within = r.IntN(2)
		}
		type answer struct {
			one   int
			parts []int
		}
		var answers [2][]answer
		uses := [2]map[int]int{{}, {}}
		for side := range sides {
			for i, sum := range sides[side] {
				if sum == 0 {
					continue
				}
				found := subsets(sides[1-side], most, sum, within)
				if len(found) == 1 && len(found[0]) > 1 {
					answers[side] = append(answers[side], answer{i, found[0]})
				}
				for _, parts := range found {
					uses[side][i]++
					for _, p := range parts {
						uses[1-side][p]++
					}
				}
			}
		}
		var want []string
		for side := range answers {
			for _, a := range answers[side] {
				if uses[side][a.one] > 1 || slices.ContainsFunc(a.parts,
					func(p int) bool { return uses[1-side][p] > 1 }) {
					continue
				}
				text := fmt.Sprintf("%c%d =", "HT"[side], a.one)
				for _, p := range a.parts {
					text += fmt.Sprintf(" %c%d", "HT"[1-side], p)
				}
				want = append(want, text)
			}
		}
		texts := [2]string{"doc,amount\n", "doc,amount\n"}
		for side := range sides {
			for i, cents := range sides[side] {
				texts[side] += fmt.Sprintf("%c%d,%d.%02d\n", "HT"[side], i, cents/100, abs(cents)%100)
				if cents < 0 {
					texts[side] = strings.Replace(texts[side], fmt.Sprintf("%c%d,0.", "HT"[side], i),
						fmt.Sprintf("%c%d,-0.", "HT"[side], i), 1)
				}
			}
		}
		options := reconcile.Options{Keys: [][]string{{"doc"}}, Totals: []string{"amount"}, Combine: most}
		if within > 0 {
			options.Tolerances = []reconcile.Tolerance{{Column: "amount", Within: money(fmt.Sprintf("0.%02d", within))}}
		}
		o := run(t, texts[0], texts[1], options)
		got := combinedOf(o)
		slices.Sort(want)
		taken += len(want)
		if !slices.Equal(got, want) {
			t.Errorf("seed %d: up to %d of %v make %v within %d: found %q, want %q", seed, most, sides[0], sides[1],
				within, got, want)
		}
	}
	if taken < 20 {
		t.Errorf("only %d answers were to be found, which shows little", taken)
	}
}

func abs(n int) int { return max(n, -n) }

// combinedOf are the matches of the second pass, as "T0 = H1 H3".
func combinedOf(o *outcome) []string {
	type side struct{ here, there []string }
	matches := make(map[string]*side)
	for line := range strings.Lines(o.rows) {
		fields := strings.Split(line, ",")
		if fields[1] != "2" {
			continue
		}
		if matches[fields[2]] == nil {
			matches[fields[2]] = new(side)
		}
		m := matches[fields[2]]
		if fields[3] != "" {
			m.here = append(m.here, fields[3])
		}
		if fields[4] != "" {
			m.there = append(m.there, fields[4])
		}
	}
	var list []string
	for _, m := range matches {
		one, parts := m.here, m.there
		if len(m.there) == 1 {
			one, parts = m.there, m.here
		}
		list = append(list, one[0]+" = "+strings.Join(parts, " "))
	}
	slices.Sort(list)
	return list
}

// Where dates may lie only so far apart, others are not put together.
func TestCombineWithinDays(t *testing.T) {
	here := "doc,day,amount\nH1,2031-01-01,1.00\nH2,2031-01-03,2.00\nH3,2031-01-20,2.00\n"
	there := "doc,day,amount\nT1,2031-01-02,3.00\nT2,,9.00\n"
	options := reconcile.Options{Keys: [][]string{{"doc"}}, Totals: []string{"amount"}, Combine: 2}
	if got := combinedOf(run(t, here, there, options)); len(got) > 0 {
		t.Errorf("with two answers %q is found", got)
	}
	options.Days = []reconcile.Days{{Column: "day", Most: 2}}
	if got := combinedOf(run(t, here, there, options)); !slices.Equal(got, []string{"T1 = H1 H2"}) {
		t.Errorf("within two days %q is found", got)
	}
	options.Days[0].Most = 30
	if got := combinedOf(run(t, here, there, options)); len(got) > 0 {
		t.Errorf("within thirty days %q is found", got)
	}
}

// Beyond what can be tried in time, nothing is proposed, and it is said.
func TestCombineGivesUp(t *testing.T) {
	var here, there strings.Builder
	here.WriteString("doc,amount\n")
	there.WriteString("doc,amount\nT1,3.00\n")
	for i := range 4500 {
		fmt.Fprintf(&here, "H%d,%d.00\n", i, i+1)
	}
	o := run(t, here.String(), there.String(),
		reconcile.Options{Keys: [][]string{{"doc"}}, Totals: []string{"amount"}, Combine: 2})
	if o.GaveUp != 4501 || o.Counts[reconcile.OnlyHere].Here != 4500 {
		t.Errorf("of 4,501 records %d are given up, and %d are only here", o.GaveUp, o.Counts[reconcile.OnlyHere].Here)
	}
	told := false
	for _, f := range o.Findings {
		told = told || strings.Contains(f.Message, "for 4501 records not everything was tried")
	}
	if !told {
		t.Error("it is not told")
	}
}
