package review

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"lastblock/core/finding"
	"lastblock/core/finding/decision"
)

var (
	pair = finding.Finding{
		ID: "aaaaaaaa", Kind: finding.SameRecord, Source: "a.csv", Line: 3, Amount: "7.00", State: "12ab",
		Places: []finding.Place{{Letter: "A", Source: "a.csv", Line: 3, Print: "11"},
			{Letter: "B", Source: "b.xlsx/S", Sheet: "S", Line: 9, Print: "22"}},
	}
	files = finding.Finding{
		ID: "bbbbbbbb", Kind: finding.SameFile, Source: "c.csv", State: "34cd",
		Places: []finding.Place{{Letter: "A", Source: "c.csv", Print: "33"},
			{Letter: "B", Source: "d.csv", Print: "44"}, {Letter: "C", Source: "e.csv", Print: "55"}},
	}
)

// sheetOf makes the rows of a sheet, with a column of the records that is called
// like one in front, as whoever writes it does; filled gives what is written for a
// finding and a place.
func sheetOf(filled map[string][2]string, findings ...finding.Finding) (rows [][]string, numbers []int) {
	rows = append(rows, slices.Concat(Front, []string{"document", "source_line", "what"}, Hidden))
	for _, f := range findings {
		for i := range f.Places {
			p := &f.Places[i]
			line := ""
			if p.Line > 0 {
				line = fmt.Sprint(p.Line)
			}
			entry := filled[f.ID+p.Letter]
			rows = append(rows, slices.Concat([]string{entry[0], entry[1], f.ID, string(f.Kind), p.Letter, p.Source,
				p.Sheet, line}, []string{"D1", "999", f.Message}, Row(&f, p)))
		}
	}
	for i := range rows {
		numbers = append(numbers, i+1)
	}
	return rows, numbers
}

var now = time.Date(2031, 5, 2, 9, 0, 0, 0, time.UTC)

func TestDecide(t *testing.T) {
	for _, c := range []struct {
		rule   string
		filled map[string][2]string
		want   []string
	}{
		{"nothing is written", nil, nil},
		{"one is dropped, and the other one kept", map[string][2]string{"aaaaaaaaB": {" Drop ", "keyed twice"}},
			[]string{"drop aaaaaaaa a.csv 3 7.00 12ab keyed twice [{b.xlsx/S S 9 22}]"}},
		{"the reason may stand in any row", map[string][2]string{"bbbbbbbbA": {"keep", ""}, "bbbbbbbbB": {"drop", ""},
			"bbbbbbbbC": {"drop", "sent thrice"}}, []string{
			"drop bbbbbbbb c.csv 0  34cd sent thrice [{d.csv  0 44} {e.csv  0 55}]",
		}},
		{"all are kept", map[string][2]string{"aaaaaaaaA": {"keep", "two sales"}, "aaaaaaaaB": {"keep", ""},
			"bbbbbbbbC": {"keep", "differs by month"}}, []string{
			"keep aaaaaaaa a.csv 3 7.00 12ab two sales []", "keep bbbbbbbb c.csv 0  34cd differs by month []",
		}},
	} {
		rows, numbers := sheetOf(c.filled, pair, files)
		decisions, err := Decide(rows, numbers, []finding.Finding{pair, files}, nil, "ada", now)
		if err != nil {
			t.Errorf("%s: %v", c.rule, err)
		}
		var got []string
		for _, d := range decisions {
			got = append(got, fmt.Sprint(d.Verdict, " ", d.ID, " ", d.Source, " ", d.Line, " ", d.Amount, " ", d.State,
				" ", d.Reason, " ", d.Dropped))
			if d.User != "ada" || !d.Time.Equal(now) {
				t.Errorf("%s: decided by %s at %v", c.rule, d.User, d.Time)
			}
		}
		if !slices.Equal(got, c.want) {
			t.Errorf("%s: %q, want %q", c.rule, got, c.want)
		}
	}
}

func TestRowsThatDoNotHold(t *testing.T) {
	for _, c := range []struct {
		rule   string
		filled map[string][2]string
		change func(rows [][]string) [][]string
		want   string
	}{
		{"another word", map[string][2]string{"aaaaaaaaA": {"dorp", "typed badly"}}, nil,
			`row 2: "dorp" is no decision; it is keep or drop, or nothing`},
		{"no reason", map[string][2]string{"bbbbbbbbB": {"drop", " "}}, nil, "row 5: a decision needs a reason"},
		{"a reason and no decision", map[string][2]string{"aaaaaaaaA": {"", "hm"}}, nil,
			"row 2: there is a reason, and no decision"},
		{"all are dropped", map[string][2]string{"aaaaaaaaA": {"drop", "x"}, "aaaaaaaaB": {"drop", ""}}, nil,
			"row 2: all places of aaaaaaaa are dropped"},
		{"a row is missing", map[string][2]string{"bbbbbbbbA": {"keep", "x"}},
			func(rows [][]string) [][]string { return rows[:len(rows)-1] }, "row 4: bbbbbbbb has 3 places, and 2 rows"},
		{"the line was changed", map[string][2]string{"aaaaaaaaB": {"drop", "x"}},
			func(rows [][]string) [][]string { rows[2][7] = "nine"; return rows },
			"row 3: the source, the line or a hidden column was changed"},
		{"what is hidden was cleared", map[string][2]string{"aaaaaaaaB": {"drop", "x"}},
			func(rows [][]string) [][]string { rows[2][len(rows[2])-1] = ""; return rows }, "row 3: the source"},
		{"the first row lost its state", map[string][2]string{"aaaaaaaaB": {"keep", "x"}},
			func(rows [][]string) [][]string { rows[1][len(rows[1])-3] = ""; return rows },
			"row 2: the place, the line or a hidden"},
		{"a made-up id", map[string][2]string{"bbbbbbbbB": {"drop", "x"}}, func(rows [][]string) [][]string {
			for _, row := range rows[3:] {
				row[2] = "zzzzzzzz"
			}
			return rows
		}, "row 4: there is no finding zzzzzzzz"},
		{"a forged state", map[string][2]string{"aaaaaaaaB": {"drop", "x"}}, func(rows [][]string) [][]string {
			rows[1][len(rows[1])-3], rows[2][len(rows[2])-3] = "99", "99"
			return rows
		}, `row 2: state of aaaaaaaa is "99" here, and "12ab" was found`},
		{"another source", map[string][2]string{"aaaaaaaaB": {"drop", "x"}},
			func(rows [][]string) [][]string { rows[2][5] = "other.csv"; return rows },
			`row 3: source of aaaaaaaa is "other.csv" here, and "b.xlsx/S" was found`},
		{"another sheet", map[string][2]string{"aaaaaaaaB": {"drop", "x"}},
			func(rows [][]string) [][]string { rows[2][6] = "T"; return rows }, "row 3: sheet of aaaaaaaa"},
		{"another line", map[string][2]string{"aaaaaaaaB": {"drop", "x"}},
			func(rows [][]string) [][]string { rows[2][7] = "10"; return rows },
			"row 3: source_line of aaaaaaaa is 10 here, and 9 was found"},
		{"another kind", map[string][2]string{"aaaaaaaaB": {"drop", "x"}},
			func(rows [][]string) [][]string { rows[1][3] = "same-key"; return rows }, "row 2: kind of aaaaaaaa"},
		{"another print", map[string][2]string{"aaaaaaaaB": {"drop", "x"}},
			func(rows [][]string) [][]string { rows[2][len(rows[2])-1] = "23"; return rows },
			"row 3: print of aaaaaaaa"},
		{"rows in another order", map[string][2]string{"aaaaaaaaB": {"keep", "x"}},
			func(rows [][]string) [][]string { rows[1], rows[2] = rows[2], rows[1]; return rows },
			"the place, the line or a hidden"},
		{"no id", map[string][2]string{"aaaaaaaaB": {"drop", "x"}},
			func(rows [][]string) [][]string { rows[2][2] = ""; return rows }, "row 3: there is a decision, and no id"},
	} {
		rows, numbers := sheetOf(c.filled, pair, files)
		if c.change != nil {
			rows = c.change(rows)
		}
		decisions, err := Decide(rows, numbers[:len(rows)], []finding.Finding{pair, files}, nil, "ada", now)
		var wrong *Error
		if !errors.As(err, &wrong) || !strings.Contains(err.Error(), c.want) || len(decisions) > 0 {
			t.Errorf("%s: %d decisions, and %v, want %q", c.rule, len(decisions), err, c.want)
		}
	}
	// A word that does not hold anywhere keeps everything from being decided.
	rows, numbers := sheetOf(map[string][2]string{"aaaaaaaaB": {"drop", "x"}, "bbbbbbbbA": {"perhaps", "x"}}, pair,
		files)
	if decisions, err := Decide(rows, numbers, []finding.Finding{pair, files}, nil, "ada", now); err == nil ||
		len(decisions) > 0 {
		t.Errorf("%d decisions, error %v", len(decisions), err)
	}
	for _, rows := range [][][]string{nil, {{"decision", "reason"}}} {
		if _, err := Decide(rows, []int{1}, nil, nil, "ada", now); !errors.Is(err, errNoSheet) {
			t.Errorf("the error is %v", err)
		}
	}
	if n := len((&Error{make([]RowError, 50)}).Error()); n > 2000 {
		t.Errorf("fifty rows make a message of %d bytes", n)
	}
}

// What stands in the file of decisions already is not decided again, although it is found
// no more; another reason is.
func TestDecidingTwice(t *testing.T) {
	rows, numbers := sheetOf(map[string][2]string{"aaaaaaaaB": {"drop", "keyed twice"},
		"bbbbbbbbA": {"keep", "differs by month"}}, pair, files)
	first, err := Decide(rows, numbers, []finding.Finding{pair, files}, nil, "ada", now)
	if err != nil || len(first) != 2 {
		t.Fatalf("%d decisions, error %v", len(first), err)
	}
	log := new(decision.Log)
	for _, d := range first {
		log.Add(d)
	}
	if again, err := Decide(rows, numbers, nil, log, "ada", now); err != nil || len(again) != 0 {
		t.Errorf("the second time there are %d decisions, error %v", len(again), err)
	}
	rows[2][1] = "keyed thrice"
	if again, err := Decide(rows, numbers, []finding.Finding{pair}, log, "ada", now); err != nil || len(again) != 1 ||
		again[0].Reason != "keyed thrice" {
		t.Errorf("with another reason there are %v, error %v", again, err)
	}
}
