package spelling

import "testing"

func TestSame(t *testing.T) {
	for _, c := range []struct {
		rule, word, a, b string
		same             bool
	}{
		{"capitals say nothing", "entity", "Kelso", "kelso", true},
		{"nor do blanks around a name", "entity", " Kelso ", "KELSO", true},
		{"blanks within it do", "entity", "Kel so", "kelso", false},
		{"letters of two code points are those of one", "entity", "Zu\u0308rich", "ZÜRICH", true},
		{"a letter may be two in capitals", "entity", "STRASSE", "Straße", true},
		{"another letter is another name", "entity", "Kelso", "Kelsa", false},
		{"a month may lack its hyphen", "period", "203101", "2031-01", true},
		{"a day is no month", "period", "2031-01-01", "2031-01", false},
		{"a quarter has one form", "period", "2031-q1", "2031Q1", true},
		{"what is no period is a name", "period", "Spring", "spring", true},
		{"digits are a period only in that word", "entity", "203101", "2031-01", false},
	} {
		if Same(c.word, c.a, c.b) != c.same {
			t.Errorf("%s: %q and %q are the same %s: %v", c.rule, c.a, c.b, c.word, !c.same)
		}
	}
}
