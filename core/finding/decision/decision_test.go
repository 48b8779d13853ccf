package decision

import (
	"errors"
	"os"
	"path/filepath"
	"reflect"
	"strings"
	"testing"
	"time"

	"lastblock/core/finding"
	"lastblock/core/finding/lock"
)

var noon = time.Date(2031, 4, 2, 12, 0, 0, 0, time.UTC)

func short(amount string) *finding.Finding {
	return found(finding.Finding{Kind: finding.ControlTotal, Source: "corvane.csv", Column: "debit",
		Difference: amount})
}

// found is a finding as a list gives it.
func found(f finding.Finding) *finding.Finding {
	var list finding.List
	list.Add(f)
	return &list.All()[0]
}

// add decides as a run does, but for putting the lines in place together with what goes with them.
func add(path string, decisions []Decision) (err error) {
	a, err := Append(path)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, a.Close()) }()
	lines, err := a.Lines(decisions)
	if err != nil {
		return err
	}
	file, err := os.OpenFile(a.Path, os.O_WRONLY, 0)
	if err != nil {
		return err
	}
	_, err = file.WriteAt(lines, a.Size())
	return errors.Join(err, file.Close())
}

func appendTo(t *testing.T, path string, verdict Verdict, reason string, f *finding.Finding) {
	t.Helper()
	if err := add(path, []Decision{About(f, verdict, reason, "anna", noon)}); err != nil {
		t.Fatal(err)
	}
}

func settled(t *testing.T, path string, f *finding.Finding) *finding.Finding {
	t.Helper()
	log, err := Read(path)
	if err != nil {
		t.Fatal(err)
	}
	log.Settle(f)
	return f
}

func TestADecisionHoldsWhileItsFindingIsTheSame(t *testing.T) {
	path := filepath.Join(t.TempDir(), "decisions.csv")
	if f := settled(t, path, short("1.00")); !f.Stops() {
		t.Error("without decisions nothing is accepted")
	}
	appendTo(t, path, Accept, "rounding, \"agreed\"\nby phone", short("1.00"))
	if f := settled(t, path, short("1.00")); f.Stops() || f.Accepted != "rounding, \"agreed\"\nby phone" {
		t.Errorf("the same finding stops, accepted for %q", f.Accepted)
	}
	if f := settled(t, path, short("2.00")); !f.Stops() || !strings.Contains(f.Lapsed, "it was 1.00") {
		t.Errorf("another amount is accepted, or its lapse not told: %q", f.Lapsed)
	}
	other := found(finding.Finding{Kind: finding.ControlTotal, Source: "dunmarrow.csv", Column: "debit",
		Difference: "1.00"})
	if f := settled(t, path, other); !f.Stops() || f.Lapsed != "" {
		t.Error("the decision counts for another source")
	}
}

func TestTheLastDecisionCounts(t *testing.T) {
	path := filepath.Join(t.TempDir(), "decisions.csv")
	appendTo(t, path, Accept, "first", short("1.00"))
	appendTo(t, path, Accept, "second", short("1.00"))
	if f := settled(t, path, short("1.00")); f.Accepted != "second" {
		t.Errorf("accepted for %q", f.Accepted)
	}
	appendTo(t, path, Reopen, "third", short("1.00"))
	if f := settled(t, path, short("1.00")); !f.Stops() {
		t.Error("what was reopened does not stop")
	}
	log, err := Read(path)
	if err != nil || len(log.Decisions) != 3 || log.Decisions[0].Reason != "first" ||
		!log.Decisions[0].Time.Equal(noon) {
		t.Errorf("the file has %+v, %v", log, err)
	}
}

// Whatever byte of a file is changed or taken off, it is an error and the file
// stays as it is.
func TestAChangedFileIsAnError(t *testing.T) {
	path := filepath.Join(t.TempDir(), "decisions.csv")
	appendTo(t, path, Accept, "first", short("1.00"))
	appendTo(t, path, Accept, "second", short("1.00"))
	whole, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	broken := func(what string, data []byte) {
		if err := os.WriteFile(path, data, 0o644); err != nil {
			t.Fatal(err)
		}
		var refused *BrokenError
		if err := add(path, []Decision{About(short("1.00"), Accept, "third", "anna", noon)}); !errors.As(err,
			&refused) {
			t.Fatalf("%s: error %v", what, err)
		}
		if after, err := os.ReadFile(path); err != nil || string(after) != string(data) {
			t.Fatalf("%s: the file was changed", what)
		}
	}
	header := strings.IndexByte(string(whole), '\n')
	for i := range whole {
		changed := []byte(string(whole))
		changed[i] ^= 1
		broken("byte changed", changed)
		if last := strings.LastIndexByte(string(whole[:len(whole)-1]), '\n'); i > last+1 {
			broken("torn", whole[:i]) // what is torn at the end of a line is a decision less, which no seal can tell
		}
	}
	lines := strings.SplitAfter(string(whole), "\n")
	broken("a line taken out", []byte(lines[0]+lines[2]))
	broken("lines swapped", []byte(lines[0]+lines[2]+lines[1]))
	broken("the first line once more", []byte(lines[0]+lines[1]+lines[1]+lines[2]))
	broken("the first line at the end", []byte(string(whole)+lines[1]))
	broken("the header torn", whole[:header])
	if err := os.WriteFile(path, whole, 0o644); err != nil {
		t.Fatal(err)
	}
	appendTo(t, path, Accept, "third", short("1.00"))
	if after, err := os.ReadFile(path); err != nil || !strings.HasPrefix(string(after), string(whole)) {
		t.Error("the file was not only appended to")
	}
}

// FuzzLog writes decisions with any texts, and reads them back.
func FuzzLog(f *testing.F) {
	f.Add("anna", "rounding", "corvane.csv", 7, "1.00")
	f.Add("a,b", "line one\nline \"two\"\r\n", "dir/ü;.csv", 0, "")
	f.Add(" ", "\x00\xff", "", -1, ",")
	f.Add("\r", "a\r\r\nb\n\r", "\r\n", 3, "1\r2")
	f.Fuzz(func(t *testing.T, user, reason, source string, line int, amount string) {
		d := Decision{Time: noon, User: user, Verdict: Accept, Reason: reason, ID: "abcdefgh", Kind: finding.RowCount,
			Source: source, Line: max(0, line), Amount: amount, State: "0"}
		if line%2 == 0 {
			d.Verdict, d.Dropped = Drop, []Dropped{{Source: strings.ToValidUTF8(source, "?"), Line: max(0, line),
				Print: "00f1"}, {Source: "b.csv", Sheet: "S 1", Print: "22"}}
		}
		var data []byte // of the file
		for range 2 {
			log, err := parse("decisions.csv", data)
			if err != nil {
				t.Fatal(err)
			}
			lines, err := log.linesOf([]Decision{d, d})
			if err != nil {
				t.Fatal(err)
			}
			data = append(data, lines...)
		}
		log, err := parse("decisions.csv", data)
		if err != nil || len(log.Decisions) != 4 {
			t.Fatalf("%+v, %v", log, err)
		}
		if !log.Has(d) {
			t.Errorf("%+v is not known again", d)
		}
		plain := strings.NewReplacer("\r\n", "\n", "\r", "\n").Replace
		d.User, d.Reason, d.Source, d.Amount = plain(user), plain(reason), plain(source), plain(amount)
		for _, got := range log.Decisions {
			if got.Time = got.Time.In(noon.Location()); !reflect.DeepEqual(got, d) {
				t.Errorf("read %+v, want %+v", got, d)
			}
		}
	})
}

// Two that decide at the same time both have their say.
func TestDecidingTogether(t *testing.T) {
	path := filepath.Join(t.TempDir(), "decisions.csv")
	const several = 8
	errs := make(chan error, several)
	for range several {
		go func() { errs <- add(path, []Decision{About(short("1.00"), Accept, "together", "anna", noon)}) }()
	}
	for range several {
		if err := <-errs; err != nil {
			t.Error(err)
		}
	}
	if log, err := Read(path); err != nil || len(log.Decisions) != several {
		t.Errorf("%d decisions are there, %v", len(log.Decisions), err)
	}
	if _, err := os.Stat(path + ".lock"); err == nil {
		t.Error("the lock stays behind")
	}
}

// What is decided about doubles settles them while they are the same; of what was
// dropped no finding says that a decision has lapsed, since it is left out itself.
func TestDecidingAboutDoubles(t *testing.T) {
	double := func(print string) *finding.Finding {
		var l finding.List
		l.Add(finding.Finding{Kind: finding.SameFile, Source: "a.csv", Message: "twice",
			Places: []finding.Place{{Letter: "A", Source: "a.csv", Print: "1"},
				{Letter: "B", Source: "b.csv", Print: print}}})
		all := l.All()
		return &all[0]
	}
	for _, c := range []struct {
		verdict          Verdict
		accepted, lapsed bool // where the finding has changed
	}{{Keep, false, true}, {Drop, false, false}, {Accept, false, true}, {Reopen, false, false}} {
		var log Log
		d := About(double("1"), c.verdict, "because", "anna", noon)
		if c.verdict == Drop {
			d.Dropped = []Dropped{{Source: "b.csv", Print: "1"}}
		}
		log.Add(d)
		same, other := double("1"), double("2")
		log.Settle(same)
		log.Settle(other)
		if (same.Accepted == "because") != (c.verdict != Reopen) || same.Lapsed != "" {
			t.Errorf("%s: of what is the same it says %q and %q", c.verdict, same.Accepted, same.Lapsed)
		}
		if (other.Accepted != "") != c.accepted || (other.Lapsed != "") != c.lapsed {
			t.Errorf("%s: of what has changed it says %q and %q", c.verdict, other.Accepted, other.Lapsed)
		}
		if c.lapsed && !strings.Contains(other.Lapsed,
			map[Verdict]string{Keep: "kept by anna", Accept: "accepted by anna"}[c.verdict]) {
			t.Errorf("%s: it says %q", c.verdict, other.Lapsed)
		}
	}
}

func TestCurrentDecisions(t *testing.T) {
	var log Log
	if log.Current() != nil || (*Log)(nil).Current() != nil {
		t.Error("nothing was decided, and something is current")
	}
	for _, d := range []Decision{{ID: "a", Verdict: Drop}, {ID: "b", Verdict: Keep}, {ID: "a", Verdict: Reopen},
		{ID: "c", Verdict: Drop}, {ID: "c", Verdict: Drop, Reason: "again"}} {
		log.Add(d)
	}
	got := ""
	for _, d := range log.Current() {
		got += d.ID + " " + string(d.Verdict) + d.Reason + "; "
	}
	if got != "b keep; a reopen; c dropagain; " {
		t.Errorf("current are %s", got)
	}
}

// What a spreadsheet program adds when it saves the file says nothing new: it is read,
// and what is decided next stands behind it.
func TestWhatASpreadsheetAdds(t *testing.T) {
	for name, change := range map[string]func(string) string{
		"a blank line at the end": func(s string) string { return s + "\n" },
		"blank lines with blanks": func(s string) string { return s + " \n\r\n" },
		"a blank line in between": func(s string) string { return strings.Replace(s, "\n", "\n\n", 1) },
		"lines that end in CR LF": func(s string) string { return strings.ReplaceAll(s, "\n", "\r\n") },
		"a byte-order mark":       func(s string) string { return "\ufeff" + s },
		"all of them": func(s string) string {
			return "\ufeff" + strings.ReplaceAll(s, "\n", "\r\n") +
				"\r\n"
		},
	} {
		path := filepath.Join(t.TempDir(), "decisions.csv")
		decide := func(id string) {
			d := Decision{Time: time.Unix(1_900_000_000, 0), User: "fay", Verdict: Accept,
				Reason: "known, says the branch\nand head office", ID: id, State: "1"}
			if err := add(path, []Decision{d}); err != nil {
				t.Errorf("%s: %v", name, err)
			}
		}
		decide("a")
		decide("b")
		data, err := os.ReadFile(path)
		if err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(path, []byte(change(string(data))), 0o644); err != nil {
			t.Fatal(err)
		}
		decide("c")
		log, err := Read(path)
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		if len(log.Decisions) != 3 || log.Decisions[2].ID != "c" ||
			log.Decisions[0].Reason != "known, says the branch\nand head office" {
			t.Errorf("%s: %+v", name, log.Decisions)
		}
	}
}

// A file that is locked is not waited for without end, and nothing of it is touched.
func TestSomebodyElseDecides(t *testing.T) {
	path := filepath.Join(t.TempDir(), "decisions.csv")
	file, err := os.Create(path)
	if err != nil {
		t.Fatal(err)
	}
	if err := lock.Try(file); err != nil {
		t.Fatal(err)
	}
	go func() {
		time.Sleep(50 * time.Millisecond)
		file.Close()
	}()
	if err := add(path, []Decision{{Time: time.Unix(1_900_000_000, 0), Verdict: Accept, ID: "a"}}); err != nil {
		t.Errorf("once the other one has ended: %v", err)
	}
	if entries, _ := os.ReadDir(filepath.Dir(path)); len(entries) != 1 {
		t.Errorf("beside the file stand %v", entries)
	}
}
