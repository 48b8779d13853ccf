package finding

import (
	"fmt"
	"testing"
)

func TestCausesComeFirst(t *testing.T) {
	var findings []Finding
	for i, kind := range []Kind{OnlyThere, ControlTotal, BadValue, SameKey, NoSource, MostlySuspended, CheckMissing,
		ControlTotal} {
		findings = append(findings, Finding{Kind: kind, Line: i})
	}
	ByCause(findings)
	var got []string
	for _, f := range findings {
		got = append(got, fmt.Sprint(f.Kind, f.Line))
	}
	want := "[check-missing6 no-source4 bad-value2 mostly-suspended5 control-total1 control-total7 same-key3 " +
		"only-there0]"
	if fmt.Sprint(got) != want {
		t.Errorf("they stand as %v, want %s", got, want)
	}
	known := make(map[Kind]int)
	for _, kinds := range stages {
		for _, kind := range kinds {
			if known[kind]++; known[kind] > 1 || kind.Severity() == "" {
				t.Errorf("%s stands in two stages, or is no kind", kind)
			}
		}
	}
}
