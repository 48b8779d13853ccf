package overlay

import (
	"errors"
	"slices"
	"strings"
	"testing"

	"lastblock/core/finding"
	"lastblock/core/option"
	"lastblock/internal/sourcetest"
)

func TestFooting(t *testing.T) {
	sound := table("L,Q1,Q2,Year", "Wages,1,2,3", "Rent,4,5,9", "Total,5,7,12")
	for _, c := range []struct {
		rule    string
		odd     string // the third form
		footing []Footing
		says    string
	}{
		{"a form that foots is not told", table("L,Q1,Q2,Year", "Wages,10,20,30", "Rent,40,50,90", "Total,50,70,120"),
			nil, ""},
		{"a total that lacks a line", table("L,Q1,Q2,Year", "Wages,10,20,30", "Rent,40,50,90", "Total,50,20,120"), nil,
			`C4 ("Total", "Q2") is 20, and its 2 rows come to 70: difference -50; C3 is 50, and seems not to be in the sum`},
		{"a total with a line that was taken off",
			table("L,Q1,Q2,Year", "Wages,10,20,30", "Rent,40,50,90", "Total,50,-30,120"), nil,
			"C3 is 50, and seems to be in the sum with the opposite sign"},
		{"digits that were transposed", table("L,Q1,Q2,Year", "Wages,10,20,30", "Rent,40,50,90", "Total,50,70,210"),
			nil,
			"a multiple of nine, probably two digits transposed"},
		{"a text that the total has counted",
			table("L,Q1,Q2,Year", "Wages,10,'20,30", "Rent,40,50,90", "Total,50,70,120"), nil,
			`C2 holds the text "'20", which is not counted`},
		{"a total that is missing", table("L,Q1,Q2,Year", "Wages,10,20,30", "Rent,40,50,90", "Total,50,,120"), nil,
			`C4 ("Total", "Q2") is 0, and its 2 rows come to 70`},
	} {
		t.Run(c.rule, func(t *testing.T) {
			set := sourcetest.Set(t, "", map[string]string{"a.csv": sound, "b.csv": sound, "c.csv": c.odd})
			r := overlayOf(t, set, Options{Footing: c.footing})
			if len(r.Footings) != 2 || !r.Blocks[0].Rows[2].Total || !r.Blocks[0].Columns[2].Total {
				t.Errorf("the sums that were found are %+v", r.Footings)
			}
			got := said(r, finding.DoesNotFoot)
			if c.says == "" && got != "" || !strings.Contains(got, c.says) {
				t.Errorf("it says %q, want %q", got, c.says)
			}
			if isTold := strings.Contains(got, ": the result does not foot in "); isTold != (c.says != "") {
				t.Errorf("of the result it says %q", got)
			}
		})
	}
}

// A sum above its parts is found as well, and one that is only named is checked.
func TestSumsAboveAndNamed(t *testing.T) {
	above := sourcetest.Set(t, "", map[string]string{"a.csv": table("L,Q", "Total,8", "Wages,1", "Rent,2", "Energy,5"),
		"b.csv": table("L,Q", "Total,80", "Wages,10", "Rent,20", "Energy,50")})
	if r := overlayOf(t, above, Options{}); len(r.Footings) != 1 || !slices.Equal(r.Footings[0].Parts, []int{1, 2, 3}) {
		t.Errorf("the sums are %+v", r.Footings)
	}
	files := map[string]string{"a.csv": table("L,Q", "Wages,1", "Rent,2", "Costs,4"),
		"b.csv": table("L,Q", "Wages,10", "Rent,20", "Costs,31")}
	set := sourcetest.Set(t, "", files)
	if r := overlayOf(t, set, Options{}); said(r, finding.DoesNotFoot) != "" {
		t.Errorf("what never foots is taken for a sum: %+v", r.Findings)
	}
	named := []Footing{{Rows, "Costs"}}
	if r := overlayOf(t, set, Options{Footing: named}); strings.Count(said(r, finding.DoesNotFoot),
		"difference 1") != 2 {
		t.Errorf("the sum that is named says %q", said(r, finding.DoesNotFoot))
	}
	_, err := Run(t.Context(), set, sourcetest.Reading, Options{Footing: []Footing{{Rows, "Cost"}}})
	var of *option.Error
	if !errors.As(err, &of) || of.Word != "footing" || !strings.Contains(err.Error(), "did you mean Costs?") {
		t.Errorf("the error is %v", err)
	}
}
