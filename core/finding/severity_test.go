package finding

import (
	"reflect"
	"strings"
	"testing"
)

func TestParseSeverities(t *testing.T) {
	for _, c := range []struct {
		texts []string
		want  Severities
		err   string
	}{
		{nil, Severities{}, ""},
		{[]string{"only-there=review", "filed-twice = note"}, Severities{OnlyThere: Review, FiledTwice: Note}, ""},
		{[]string{"row-count=note", "row-count=stop"}, Severities{RowCount: Stop}, ""},
		{[]string{"row-count"}, nil, `"row-count" is not of the form`},
		{[]string{"row-count=grave"}, nil, `"grave" is neither stop, review nor note`},
		{[]string{"row-cuont=note"}, nil, "unknown kind of finding row-cuont; did you mean row-count?"},
	} {
		got, err := ParseSeverities(c.texts)
		if c.err != "" {
			if err == nil || !strings.Contains(err.Error(), c.err) {
				t.Errorf("%q: the error is %v, want one that says %s", c.texts, err, c.err)
			}
		} else if err != nil || !reflect.DeepEqual(got, c.want) {
			t.Errorf("%q are %v, %v", c.texts, got, err)
		}
	}
	f := Finding{Kind: RowCount, Severity: Stop}
	Severities{FiledTwice: Note}.Set(&f)
	if f.Severity != Stop {
		t.Errorf("a kind that is not named is %s", f.Severity)
	}
	Severities{RowCount: Note}.Set(&f)
	if f.Severity != Note || f.Stops() {
		t.Errorf("a kind that is named is %s", f.Severity)
	}
}
