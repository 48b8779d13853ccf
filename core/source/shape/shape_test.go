package shape

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"lastblock/core/format/delimited"
	"lastblock/core/record"
	"lastblock/core/value/date"
	"lastblock/core/value/expression"
)

func parse(t *testing.T, text string) *expression.Expression {
	t.Helper()
	x, err := expression.Parse(text)
	if err != nil {
		t.Fatal(err)
	}
	return x
}

// batch makes a head and a batch of delimited text.
func batch(text string) (*record.Head, *record.Batch) {
	heads := delimited.NewHeads(delimited.Request{})
	cutter := delimited.NewCutter(strings.NewReader(text), 1<<20, nil, heads.Find)
	block, _, err := cutter.Next(nil)
	if err != nil {
		panic(err)
	}
	head := cutter.Head()
	b := new(record.Batch)
	scanner := delimited.Scanner{Dialect: head.Dialect, Width: len(head.Layout.Columns), Header: head.Header}
	scanner.Scan(block, b)
	return &head.Head, b
}

func lines(b *record.Batch) []string {
	var all []string
	var scratch []byte
	for row := range b.Rows {
		text := fmt.Sprint(b.Line(row), ":")
		for column := range b.Width {
			text += "|" + string(b.Text(row, column, &scratch))
		}
		all = append(all, text)
	}
	return all
}

const text = `Konto;when;debit;credit;note
04000;31.01.2031;1.234,50;;"a;b"
04000;02.02.2031;x;1;c
04100;03.02.2031;;2,5;d
04100;04.02.2031;;7;e
`

func TestApply(t *testing.T) {
	request := &Request{
		Rename: []Rename{{"Konto", "account"}, {"none", "other"}},
		As:     []As{{"when", record.Date, date.Unclear}, {"debit", record.Amount, date.Unclear}},
		Make:   []Make{{"net", parse(t, "debit - credit")}, {"twice", parse(t, "net * 2")}},
		Where:  parse(t, `net > -5 && entity == "corvane" && note != ""`),
		Drop:   []string{"note", "credit"},
	}
	head, b := batch(text)
	s := request.For(head)
	if want := []string{"account", "when", "debit", "net", "twice"}; !slices.Equal(s.Head.Layout.Columns, want) {
		t.Errorf("columns are %q, want %q", s.Head.Layout.Columns, want)
	}
	if want := []record.Kind{"", record.Date, record.Amount, record.Amount, record.Amount}; !slices.Equal(s.Head.Kinds,
		want) {
		t.Errorf("kinds are %q, want %q", s.Head.Kinds, want)
	}
	if !slices.Equal(s.Unmet, []string{"none"}) || !slices.Equal(s.Constants(), []string{"entity"}) {
		t.Errorf("unmet %q, constants %q", s.Unmet, s.Constants())
	}
	new(Worker).Apply(s, b, Writing{Decimal: ',', Order: date.DayMonthYear},
		map[string][]byte{"entity": []byte("corvane")})
	if got, want := lines(b), []string{"2:|04000|2031-01-31|1234.50|1234.50|2469.00",
		"4:|04100|2031-02-03||-2.5|-5.0"}; !slices.Equal(got, want) {
		t.Errorf("records are %q, want %q", got, want)
	}
	if got, want := lines(b.Dropped), []string{"5:|04100|2031-02-04||-7|-14"}; !slices.Equal(got, want) {
		t.Errorf("dropped are %q, want %q", got, want)
	}
	if len(b.Refused) != 1 || b.Refused[0].Line != 3 || b.Refused[0].Column != "debit" ||
		string(b.Refused[0].Found) != "x" || string(b.Refused[0].Raw) != "04000;02.02.2031;x;1;c" {
		t.Errorf("refused are %+v", b.Refused)
	}
	if b.Read() != 4 {
		t.Errorf("%d records in all", b.Read())
	}
}

func TestAConditionAloneCopiesNothing(t *testing.T) {
	head, b := batch("a,b\n1,x\n2,y\n3,z\n")
	data := &b.Data[0]
	new(Worker).Apply((&Request{Where: parse(t, `a in [1, 3]`)}).For(head), b, Writing{Decimal: '.'}, nil)
	if got := lines(b); !slices.Equal(got, []string{"2:|1|x", "4:|3|z"}) || &b.Data[0] != data {
		t.Errorf("records are %q", got)
	}
}

func TestNothingAskedFor(t *testing.T) {
	head, b := batch("a,b\n1,x\n")
	var none *Request
	s := none.For(head)
	if s.Head != head || !s.IsNothing() {
		t.Error("a head has changed")
	}
	new(Worker).Apply(s, b, Writing{}, nil)
	if got := lines(b); !slices.Equal(got, []string{"2:|1|x"}) {
		t.Errorf("records are %q", got)
	}
}

func TestRenamingOntoANameThatStands(t *testing.T) {
	head, _ := batch("a,b\n1,x\n")
	s := (&Request{Rename: []Rename{{"#1", "b"}}}).For(head)
	if !slices.Equal(s.Head.Layout.Columns, []string{"b", "b_2"}) || len(s.Head.Twice) != 1 {
		t.Errorf("columns are %q, twice %v", s.Head.Layout.Columns, s.Head.Twice)
	}
}

// What a request computes over a column that was computed before, computes what stands behind it
// anew, and nothing that stands before it.
func TestARequestOverAnother(t *testing.T) {
	make := func(texts ...string) (all []Make) {
		for _, text := range texts {
			name, formula, _ := strings.Cut(text, "=")
			all = append(all, Make{name, parse(t, formula)})
		}
		return all
	}
	names := func(all []Make) (names []string) {
		for _, m := range all {
			names = append(names, m.Name)
		}
		return names
	}
	base := &Request{Make: make("first=a", "net=a-b", "twice=net*2"), Drop: []string{"x"}}
	for _, c := range []struct {
		rule       string
		over       *Request
		make, drop []string
	}{
		{"a column of its own stands alone", &Request{Make: make("half=a/2")}, []string{"half"}, nil},
		{"one that both compute brings what stands behind it", &Request{Make: make("half=a/2", "net=b-a")},
			[]string{"net", "twice", "half"}, nil},
		{"the last one brings nothing", &Request{Make: make("twice=1")}, []string{"twice"}, nil},
		{"what is left out already is not left out again", &Request{Drop: []string{"x", "y"}}, nil, []string{"y"}},
	} {
		got := c.over.Over(base)
		if !slices.Equal(names(got.Make), c.make) || !slices.Equal(got.Drop, c.drop) {
			t.Errorf("%s: it makes %v and drops %v", c.rule, names(got.Make), got.Drop)
		}
	}
	if r := new(Request); r.Over(nil) != r {
		t.Error("over nothing it is another one")
	}
	head, b := batch("a,b\n5,3\n")
	shaped := base.For(head)
	var w Worker
	w.Apply(shaped, b, Writing{Decimal: '.'}, nil)
	over := (&Request{Make: make("net=b-a")}).Over(base).For(shaped.Head)
	w.Apply(over, b, Writing{Decimal: '.'}, nil)
	if got := strings.Join(lines(b), ""); got != "2:|5|3|5|-2|-4" {
		t.Errorf("the records are %s", got)
	}
}
