package finding

import "testing"

func TestUnionHasEachFindingOnceAndTheGraverOne(t *testing.T) {
	a := Finding{ID: "a", Severity: Review, Message: "first"}
	b := Finding{ID: "b", Severity: Note}
	graver := Finding{ID: "a", Severity: Stop, Message: "second"}
	lighter := Finding{ID: "b", Severity: Note, Message: "later"}
	got := Union([]Finding{a, b}, []Finding{graver, lighter, {ID: "c", Severity: Review}})
	if len(got) != 3 || got[0].Message != "second" || got[1].Message != "" || got[2].ID != "c" {
		t.Errorf("union is %+v", got)
	}
	if got := Union([]Finding{graver}, []Finding{a}); len(got) != 1 || got[0].Severity != Stop {
		t.Errorf("union is %+v", got)
	}
	if got := Union(); got == nil || len(got) != 0 {
		t.Errorf("nothing together is %v", got)
	}
}
