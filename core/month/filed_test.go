package month

import (
	"strings"
	"testing"

	"lastblock/core/capability/tieout"
	"lastblock/core/value/period"
	"lastblock/internal/sourcetest"
)

// filedBy is who has filed with files of these names.
func filedBy(t *testing.T, names ...string) *Filed {
	t.Helper()
	files := make(map[string]string)
	for _, name := range names {
		files[name+".csv"] = "doc,debit\n1,2\n"
	}
	return FiledBy(sourcetest.Set(t, "{entity}_{period}", files), nil)
}

func parsed(t *testing.T, text string) period.Period {
	t.Helper()
	p, ok := period.Parse(text)
	if !ok {
		t.Fatalf("%s is no period", text)
	}
	return p
}

func TestTheNewestPeriodForWhichAllHaveFiled(t *testing.T) {
	roster := &tieout.Roster{Entries: []tieout.Entry{{Entity: "A"}, {Entity: "B"},
		{Entity: "C", HasFrom: true, From: parsed(t, "2031-02"), HasUntil: true, Until: parsed(t, "2031-02")}}}
	for _, c := range []struct {
		rule   string
		files  string
		roster *tieout.Roster
		want   string // the period, or a part of the error
	}{
		{"all have filed for the newest", "a_2031-01 b_2031-01 a_2031-02 b_2031-02", nil, "2031-02"},
		{"one that has filed before is missing", "a_2031-01 b_2031-01 a_2031-02", nil, "2031-01"},
		{"one that is new is not missed before", "a_2031-01 a_2031-02 b_2031-02", nil, "2031-02"},
		{"one that skips a month is missed in it", "a_2031-01 b_2031-01 a_2031-02 a_2031-03 b_2031-03", nil, "2031-03"},
		{"capital letters make no difference", "a_2031-01 A_2031-02", nil, "2031-02"},
		{"weeks", "a_2031-W05 b_2031-W05 a_2031-W06", nil, "2031-W05"},
		{"on the roster all are due", "a_2031-01 b_2031-01 a_2031-03 b_2031-03 a_2031-02 b_2031-02 c_2031-02", roster,
			"2031-03"},
		{"one is due for a single month", "a_2031-01 b_2031-01 a_2031-02 b_2031-02", roster, "2031-01"},
		{"a quarter", "a_2031Q1 b_2031Q1 a_2031Q2", nil, "2031Q1"},
		{"nobody is complete", "a_2031-02 c_2031-02 a_2031-03", roster,
			"for 2031-03 lacks B\nfor 2031-02 lacks B\nsay which one is closed"},
		{"no name tells a period", "a b", nil, "no source's name tells a period"},
	} {
		got, err := filedBy(t, strings.Fields(c.files)...).Newest(c.roster)
		if err == nil && got.String() != parsedOr(c.want) || err != nil && !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: it is %s, %v; want %s", c.rule, got, err, c.want)
		}
	}
}

// parsedOr writes a period as periods are written, and any other text as it stands.
func parsedOr(text string) string {
	if p, ok := period.Parse(text); ok {
		return p.String()
	}
	return text
}

func TestWhatIsLaterIsPassedOver(t *testing.T) {
	files := map[string]string{"a_2031-01.csv": "v\n1\n", "a_2031-02.csv": "v\n1\n", "a_2031-03.csv": "v\n1\n",
		"a_2031-02-28.csv": "v\n1\n", "a_2031Q1.csv": "v\n1\n", "a_all.csv": "v\n1\n"}
	in := &Input{Set: sourcetest.Set(t, "{entity}_{period}", files)}
	in.UpTo(parsed(t, "2031-02"))
	var names, over []string
	for i := range in.Set.Sources {
		names = append(names, in.Set.Sources[i].Name)
	}
	for _, p := range in.Set.PassedOver {
		if over = append(over, p.Source); p.Reason != "later than 2031-02" {
			t.Errorf("%s is passed over as %s", p.Source, p.Reason)
		}
	}
	if got := strings.Join(names, " "); got != "a_2031-01.csv a_2031-02-28.csv a_2031-02.csv a_all.csv" {
		t.Errorf("read are %s", got)
	}
	if got := strings.Join(over, " "); got != "a_2031-03.csv a_2031Q1.csv" {
		t.Errorf("passed over are %s", got)
	}
}
