package plan

import (
	"errors"
	"reflect"
	"strings"
	"testing"
)

const good = `version = 1 # of plans

[read]
paths = ["journals"]
name = "{entity}_{period}"
skip-lines = 0x2

[[read.shape]]
match = "corvane_*"
no-header = true

[[read.shape]]
match = 'esk*'
as = [
  "posted=date:dmy", # as they write it
  "debit=amount",
]

[tieout]
total = "debit"

[[rollup]]

[[rollup]]
`

func TestParse(t *testing.T) {
	p, err := Parse("p.toml", []byte(good))
	if err != nil {
		t.Fatal(err)
	}
	want := &Plan{
		File: "p.toml",
		Read: Table{Name: "read", Entries: []Entry{
			{"paths", []string{"journals"}, Place{4, 1}}, {"name", "{entity}_{period}", Place{5, 1}},
			{"skip-lines", int64(2), Place{6, 1}},
		}, Place: Place{3, 2}},
		Shapes: []Table{
			{Name: "shape", Entries: []Entry{{"match", "corvane_*", Place{9, 1}}, {"no-header", true, Place{10, 1}}},
				Place: Place{8, 3}},
			{Name: "shape", Entries: []Entry{{"match", "esk*", Place{13, 1}},
				{"as", []string{"posted=date:dmy", "debit=amount"}, Place{14, 1}}}, Place: Place{12, 3}},
		},
		Commands: []Table{
			{Name: "tieout", Entries: []Entry{{"total", "debit", Place{20, 1}}}, Place: Place{19, 2}},
			{Name: "rollup", Several: true, Place: Place{22, 3}}, {Name: "rollup", Several: true, Place: Place{24, 3}},
		},
	}
	want.spans = p.spans
	if !reflect.DeepEqual(p, want) {
		t.Errorf("plan is %+v", p)
	}
	if p.Command("tieout").Find("total").Value != "debit" || p.Command("collate") != nil || len(p.All("rollup")) != 2 {
		t.Error("tables are not found by their names")
	}
}

func TestPlansThatDoNotHold(t *testing.T) {
	for text, want := range map[string]string{
		"[read]\npaths = [\"a\"]\n":              "line 1, column 1: a plan begins with its version",
		"version = 2\n":                          "line 1, column 1: this plan is of version 2",
		"version = 1\npaths = \"a\"\n":           `line 2, column 1: "paths" stands before all tables`,
		"version = 1\n[read]\npaths = [\"a\"\n":  "line 3",
		"version = 1\n[read]\nname = \"a\nb\"\n": "line 3",
		"version = 1\n[read]\n  skip-lines = 1.5\n": "line 3, column 3: skip-lines has a value of a kind that no " +
			"key has",
		"version = 1\n[read]\npaths = [1]\n":          "line 3, column 1: paths is a list, and a list holds texts",
		"version = 1\n[read]\na.b = 1\n":              `line 3, column 1: a key is one word here, and "a.b" is none`,
		"version = 1\n[read.shape]\n":                 "line 2, column 2: there may be several shapes",
		"version = 1\n[[read.shape]]\n":               "line 2, column 3: a shape needs a pattern",
		"version = 1\n[[read]]\n":                     "line 2, column 3: there is one table read",
		"version = 1\n[read.other]\n":                 "line 2, column 2: a plan has the tables",
		"version = 1\n[read]\nname = 'a'\nname='b'\n": "line 4",
		"version = 99999999999999999999\n":            "line 1",
	} {
		_, err := Parse("p.toml", []byte(text))
		var wrong *Error
		if !errors.As(err, &wrong) || !strings.Contains(err.Error(), want) {
			t.Errorf("%q: error is %v, want one that says %q", text, err, want)
		}
	}
}

func FuzzParse(f *testing.F) {
	f.Add([]byte(good))
	f.Add([]byte("version = 1\n[read]\nname = \"\"\"\na\"\"\"\nx = {a = 1}\n"))
	f.Fuzz(func(t *testing.T, data []byte) {
		p, err := Parse("p.toml", data)
		if (p == nil) == (err == nil) {
			t.Errorf("plan %v, error %v", p, err)
		}
	})
}

// What is rewritten is another text, and all around it stays as it is.
func TestRewrite(t *testing.T) {
	text := "version = 1 # first\r\n[read]\r\npaths = [ \"a\", # one\r\n  'b\\c', \"d \\\"e\\\"\" ]\r\nname = \"x\"\r\n"
	p, err := Parse("p.toml", []byte(text))
	if err != nil {
		t.Fatal(err)
	}
	r := p.Rewrite([]byte(text))
	paths := p.Read.Find("paths")
	r.Set(paths, 2, `q "r"`)
	r.Set(paths, 1, `D:\in`)
	r.Set(p.Read.Find("name"), 0, `it's \`)
	want := "version = 1 # first\r\n[read]\r\npaths = [ \"a\", # one\r\n" +
		"  'D:\\in', \"q \\\"r\\\"\" ]\r\nname = \"it's \\\\\"\r\n"
	if got := string(r.Bytes()); got != want {
		t.Errorf("it is %q, want %q", got, want)
	}
	again, err := Parse("p.toml", r.Bytes())
	if err != nil || !reflect.DeepEqual(again.Read.Find("paths").Value, []string{"a", `D:\in`, `q "r"`}) ||
		again.Read.Find("name").Value != `it's \` {
		t.Errorf("read again it is %+v: %v", again, err)
	}
}
