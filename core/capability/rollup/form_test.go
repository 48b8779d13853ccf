package rollup

import (
	"fmt"
	"strings"
	"testing"
)

// threeLevels has groups of three columns, of which one stands alone at each level.
var threeLevels = map[string]string{"a.csv": "x,y,z,v\n1,1,1,1\n1,1,2,2\n1,2,1,4\n2,1,1,8\n2,1,1,16\n"}

// formed are the lines of a summary in a form, each as its kind, key and sum.
func formed(t *testing.T, by []string, form Form) ([]string, error) {
	t.Helper()
	r, _ := rollUp(t, threeLevels, Options{By: by, Sum: []string{"v"}})
	f, err := r.In(form, []string{"v"})
	if err != nil {
		return nil, err
	}
	var got []string
	err = f.Lines(func(l Line) error {
		got = append(got, fmt.Sprintf("%s%s=%s", []string{"", "sub ", fmt.Sprintf("%d more", l.More), "total"}[l.Kind],
			strings.Join(l.Key, "."), l.Sums[0]))
		return nil
	})
	return got, err
}

func TestForms(t *testing.T) {
	all := []string{"x", "y", "z"}
	for _, c := range []struct {
		rule string
		by   []string
		form Form
		want string
	}{
		{"as they are", all, Form{}, "1.1.1=1 1.1.2=2 1.2.1=4 2.1.1=24 total=31"},
		{"subtotals of three columns, that over the fewest groups first", all, Form{Subtotals: true},
			"1.1.1=1 1.1.2=2 sub 1.1=3 1.2.1=4 sub 1.2=4 sub 1=7 2.1.1=24 sub 2.1=24 sub 2=24 total=31"},
		{"subtotals of two columns", all[:2], Form{Subtotals: true}, "1.1=3 1.2=4 sub 1=7 2.1=24 sub 2=24 total=31"},
		{"the largest, and the rest", all, Form{Top: 2}, "2.1.1=24 1.2.1=4 2 more=3 total=31"},
		{"all of them are the largest", all, Form{Top: 4}, "2.1.1=24 1.2.1=4 1.1.2=2 1.1.1=1 total=31"},
		{"by a sum", all, Form{Sorted: true, Order: Order{Column: "v"}}, "2.1.1=24 1.2.1=4 1.1.2=2 1.1.1=1 total=31"},
		{"by a sum upwards", all, Form{Sorted: true, Order: Order{Column: "v", Up: true}},
			"1.1.1=1 1.1.2=2 1.2.1=4 2.1.1=24 total=31"},
	} {
		got, err := formed(t, c.by, c.form)
		if err != nil || strings.Join(got, " ") != c.want {
			t.Errorf("%s: %s, %v; want %s", c.rule, got, err, c.want)
		}
	}
	if _, err := formed(t, all, Form{Sorted: true, Order: Order{Column: "vv"}}); err == nil ||
		!strings.Contains(err.Error(), "⟨sort⟩: unknown column vv; did you mean v?") {
		t.Errorf("an unknown column: %v", err)
	}
}
