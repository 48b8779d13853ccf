package finding

import (
	"fmt"
	"slices"
	"testing"
)

// An id follows from what a finding is about and not from what it says; the
// state is the other way round.
func TestIdentity(t *testing.T) {
	base := Finding{Kind: RuleBroken, Source: "a.csv", Line: 3, Column: "debit", Key: "D1", Difference: "1.00",
		Message: "says so", Record: 7}
	about := func(f Finding) (id, state string) {
		var l List
		l.Add(f)
		all := l.All()
		return all[0].ID, all[0].State
	}
	id, state := about(base)
	if len(id) != 8 {
		t.Errorf("the id is %q", id)
	}
	for _, c := range []struct {
		rule              string
		change            func(f *Finding)
		sameID, sameState bool
	}{
		{"nothing", func(*Finding) {}, true, true},
		{"another amount", func(f *Finding) { f.Difference = "2.00" }, true, false},
		{"another record on the line", func(f *Finding) { f.Record = 8 }, true, false},
		{"another count", func(f *Finding) { f.Count = 2 }, true, false},
		{"other words for the same figures", func(f *Finding) { f.Message = "puts it otherwise" }, true, true},
		{"another source", func(f *Finding) { f.Source = "b.csv" }, false, true},
		{"another sheet", func(f *Finding) { f.Sheet = "S" }, false, true},
		{"another line", func(f *Finding) { f.Line = 4 }, false, true},
		{"another column", func(f *Finding) { f.Column = "credit" }, false, true},
		{"another document", func(f *Finding) { f.Key = "D2" }, false, true},
		{"another kind", func(f *Finding) { f.Kind = BlankValue }, false, true},
	} {
		f := base
		c.change(&f)
		if gotID, gotState := about(f); (gotID == id) != c.sameID || (gotState == state) != c.sameState {
			t.Errorf("%s: the id is the same: %v, the state: %v", c.rule, gotID == id, gotState == state)
		}
	}
	// Where there are no figures, the message is all there is.
	bare := Finding{Kind: ColumnsDiffer, Source: "a.csv", Message: "has another order"}
	_, one := about(bare)
	bare.Message = "has beside the usual columns season"
	if _, other := about(bare); one == other {
		t.Error("what differs does not count")
	}
}

func TestFindingsThatAreAboutTheSame(t *testing.T) {
	var l List
	for i := range 3 {
		l.Add(Finding{Kind: DeclaredTwice, Source: "a.csv", Message: fmt.Sprint(i)})
	}
	ids := make(map[string]bool)
	for _, f := range l.All() {
		ids[f.ID] = true
	}
	if len(ids) != 3 {
		t.Errorf("three findings have %d ids", len(ids))
	}
}

// A list that keeps every finding gives them in the order of All, whichever list
// they came from, with the same ids.
func TestEachGivesWhatAllGives(t *testing.T) {
	var whole, parts [3]List
	for i := range whole {
		whole[i].KeepAll()
	}
	if !whole[0].Keeps() || parts[0].Keeps() {
		t.Error("what a list keeps is told wrongly")
	}
	for i := range 3_000 {
		f := Finding{Kind: Kinds()[i%len(Kinds())], Source: fmt.Sprint("s", i*7%10), Order: i * 7 % 10,
			Line: i * 31 % 101, Column: fmt.Sprint(i % 3), Message: fmt.Sprint(i)}
		whole[i%3].Add(f)
		parts[i%3].Add(f)
	}
	for i := 1; i < 3; i++ {
		whole[0].Merge(&whole[i])
		parts[0].Merge(&parts[i])
	}
	all := parts[0].All()
	at := 0
	err := whole[0].Each(func(f *Finding) error {
		if at >= len(all) || fmt.Sprint(*f) != fmt.Sprint(all[at]) {
			return fmt.Errorf("finding %d is %+v, want %+v", at, *f, all[min(at, len(all)-1)])
		}
		at++
		return nil
	})
	if err != nil || at != len(all) {
		t.Errorf("%d of %d: %v", at, len(all), err)
	}
	if err := whole[0].Close(); err != nil {
		t.Error(err)
	}
	if !slices.ContainsFunc(all, func(f Finding) bool { return f.Stops() }) {
		t.Error("nothing stops")
	}
}

func TestWhatIsAcceptedStopsNothing(t *testing.T) {
	findings := []Finding{{Kind: NotFiled, Severity: Stop}, {Kind: BadValue, Severity: Review}}
	if !Stops(findings) {
		t.Error("a \"stop\" finding does not stop")
	}
	findings[0].Accepted = "files next week"
	if Stops(findings) {
		t.Error("an accepted finding stops")
	}
	f := Finding{Difference: "1.00"}
	if text, ok := f.Money(); text != "1.00" || !ok {
		t.Errorf("the amount is %q", text)
	}
	f.Amount = "7"
	if text, _ := f.Money(); text != "7" {
		t.Errorf("the amount is %q", text)
	}
	if _, ok := new(Finding).Money(); ok {
		t.Error("nothing is an amount")
	}
}

// What stands in its places is what a double says; how it is put does not count,
// and of whole files neither does how much it comes to.
func TestTheStateOfDoubles(t *testing.T) {
	state := func(change func(f *Finding)) string {
		f := Finding{Kind: SameFile, Source: "a.csv", Count: 3, Amount: "1.00", Message: "twice",
			Places: []Place{{Source: "a.csv", Print: "1"}, {Source: "b.csv", Print: "2"}}}
		change(&f)
		var l List
		l.Add(f)
		return l.All()[0].State
	}
	base := state(func(*Finding) {})
	records := state(func(f *Finding) { f.Places[0].Line = 7 })
	for _, c := range []struct {
		rule   string
		of     string
		change func(f *Finding)
		same   bool
	}{
		{"other words", base, func(f *Finding) { f.Message = "once more" }, true},
		{"another total", base, func(f *Finding) { f.Amount, f.Count = "2.00", 4 }, true},
		{"other bytes in one", base, func(f *Finding) { f.Places[1].Print = "3" }, false},
		{"a third one", base, func(f *Finding) { f.Places = append(f.Places, Place{Print: "2"}) }, false},
		{"more records than are listed", records, func(f *Finding) { f.Places[0].Line = 7; f.Count = 900 }, false},
		{"the same records", records, func(f *Finding) { f.Places[0].Line = 7; f.Amount = "" }, true},
	} {
		if (state(c.change) == c.of) != c.same {
			t.Errorf("%s: the state is the same: %v", c.rule, !c.same)
		}
	}
	for n, want := range map[int]string{0: "A", 25: "Z", 26: "AA", 27: "AB", 51: "AZ", 52: "BA", 701: "ZZ",
		702: "AAA"} {
		if got := Letter(n); got != want {
			t.Errorf("place %d is called %s, want %s", n, got, want)
		}
	}
}
