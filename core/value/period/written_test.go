package period

import "testing"

// Months stand in lists in other forms than in names of files.
func TestMonthsAsTheyAreWritten(t *testing.T) {
	for text, want := range map[string]string{
		"03.2031": "2031-03", "3.2031": "2031-03", "3/2031": "2031-03", "03-2031": "2031-03",
		" 03 2031 ": "2031-03", "Mar-31": "2031-03", "mar 2031": "2031-03", "March 2031": "2031-03",
		"Mar. 2031": "2031-03", "Sep '31": "2031-09",
		"2031-03": "2031-03", "203103": "2031-03", "2031-03-31": "2031-03-31", "2031Q1": "2031-Q1",
		"12.2012": "2012-12",
	} {
		p, ok := ParseWritten(text)
		if want == "2031-Q1" {
			want = mustParse(t, "2031Q1")
		}
		if !ok || p.String() != want {
			t.Errorf("%q is %s, %t, want %s", text, p, ok, want)
		}
	}
	for _, text := range []string{"", "13.2031", "0.2031", "Mai-31", "Marzo 2031", "31-Mar", "4000", "1.234"} {
		if p, ok := ParseWritten(text); ok && p.Unit != Year {
			t.Errorf("%q is %s", text, p)
		}
	}
}

func mustParse(t *testing.T, text string) string {
	t.Helper()
	p, ok := Parse(text)
	if !ok {
		t.Fatal(text)
	}
	return p.String()
}
