package option

import (
	"errors"
	"reflect"
	"strings"
	"testing"
)

func TestSay(t *testing.T) {
	lead := func(word string) string { return "plan line 3: " + word }
	within := func(word string) string { return "--" + word }
	for _, c := range []struct{ text, want string }{
		{"⟨balance-by⟩ x: add for example ⟨balance⟩ debit=credit",
			"plan line 3: balance-by x: add for example --balance debit=credit"},
		{"say it with ⟨encoding⟩", "say it with --encoding"},
		{"⟨by⟩⟨sum⟩", "plan line 3: by--sum"},
		{"nothing", "nothing"},
		{"", ""},
		{"a text ⟨with brackets⟩ and ⟨Capitals⟩ and ⟨⟩ of its own, ⟨no end",
			"a text ⟨with brackets⟩ and ⟨Capitals⟩ and ⟨⟩ of its own, ⟨no end"},
		{"⟨⟨at⟩⟩", "⟨--at⟩"},
	} {
		if got := Say(c.text, lead, within); got != c.want {
			t.Errorf("%q is said as %q, want %q", c.text, got, c.want)
		}
	}
}

func TestErrorsBeginWithTheirOption(t *testing.T) {
	cause := errors.New("it is odd")
	for _, c := range []struct {
		err  error
		want string
	}{
		{Errorf("top", "%w", cause), "⟨top⟩: it is odd"},
		{Wrong("top", 3, "%w", cause), "⟨top⟩ 3: it is odd"},
	} {
		if c.err.Error() != c.want || !errors.Is(c.err, cause) {
			t.Errorf("%v, want %s", c.err, c.want)
		}
	}
}

func TestSetTakesWhatAPlanHas(t *testing.T) {
	var text string
	var number int
	var truth bool
	var texts []string
	for _, c := range []struct {
		to, value, want any
		err             string
	}{
		{&text, "a", "a", ""},
		{&text, int64(1), "", "a text in quotes is needed"},
		{&text, []string{"a"}, "", "a text in quotes is needed"},
		{&number, int64(7), 7, ""},
		{&number, "7", 0, "a whole number is needed"},
		{&truth, true, true, ""},
		{&truth, "yes", false, "true or false is needed"},
		{&texts, []string{"a", "b"}, []string{"a", "b"}, ""},
		{&texts, "a", []string{"a"}, ""},
		{&texts, true, nil, "a text in quotes or a list of them is needed"},
	} {
		o := Option{Word: "w", Value: c.to, Meaning: "a test"}
		err := o.Set(c.value)
		if c.err != "" {
			if err == nil || !strings.Contains(err.Error(), c.err+", for a test") {
				t.Errorf("%T takes %v: %v", c.to, c.value, err)
			}
			continue
		}
		if got := reflect.ValueOf(c.to).Elem().Interface(); err != nil || !reflect.DeepEqual(got, c.want) {
			t.Errorf("%T takes %v as %v, %v", c.to, c.value, got, err)
		}
	}
}

func TestAGivenNumberIsNotTooSmall(t *testing.T) {
	for _, c := range []struct {
		given bool
		n     int
		ok    bool
	}{{true, 1, true}, {true, 0, false}, {true, -1, false}, {false, 0, true}} {
		var set bool
		o := Option{Word: "top", Value: &c.n, Least: 1, IsSet: &set, Given: Given{Typed: c.given}}
		if err := o.Check(); (err == nil) != c.ok {
			t.Errorf("%+v: %v", c, err)
		}
		if set != c.given {
			t.Errorf("%+v: noted as given: %v", c, set)
		}
	}
}

func TestConditionsMustAllBeMet(t *testing.T) {
	for _, c := range []struct {
		texts []string
		want  string
	}{{nil, "before"}, {[]string{"a > 1"}, "a > 1"}, {[]string{"a || b", "c"}, "(a || b) && (c)"}} {
		text := "before"
		o := Option{Value: &text}
		if err := o.SetTexts(c.texts); err != nil || text != c.want {
			t.Errorf("%q make %q, %v", c.texts, text, err)
		}
	}
}

func TestPathsAreResolved(t *testing.T) {
	list := []string{"a", "b"}
	within := "x=file"
	below := func(path string) string { return "dir/" + path }
	(&Option{Value: &list}).Resolve(below)
	(&Option{Value: &within, Path: func(text string, beside func(string) string) string {
		column, path, _ := strings.Cut(text, "=")
		return column + "=" + beside(path)
	}}).Resolve(below)
	if !reflect.DeepEqual(list, []string{"dir/a", "dir/b"}) || within != "x=dir/file" {
		t.Errorf("%v and %s", list, within)
	}
}

func TestListsOfColumnsAreDistinct(t *testing.T) {
	by, tolerance := []string{"a", "b", "a"}, []string{"x", "x"}
	l := List{{Word: "tolerance", Value: &tolerance}, {Word: "by", Value: &by, Columns: DataColumns}}
	if err := l.Distinct(); err == nil || err.Error() != `⟨by⟩: "a" stands twice` {
		t.Errorf("the error is %v", err)
	}
	by = by[:2]
	if err := l.Distinct(); err != nil {
		t.Error(err)
	}
}

func TestDistinct(t *testing.T) {
	for _, c := range []struct {
		names []string
		want  string
	}{{[]string{"a", "b"}, ""}, {nil, ""}, {[]string{"a", "b", "a"}, `⟨by⟩: "a" stands twice`},
		{[]string{"a", ""}, "⟨by⟩: a column without a name stands in the list"}} {
		err := Distinct("by", c.names)
		if got := ""; err != nil && err.Error() != c.want || err == nil && c.want != got {
			t.Errorf("%q: %v, want %q", c.names, err, c.want)
		}
	}
}
