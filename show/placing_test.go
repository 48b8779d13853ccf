package show

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"lastblock/core/source"
)

// started starts an output and writes its path into it.
func started(t *testing.T, outputs *Outputs, path string, replace bool) *Output {
	t.Helper()
	output, err := outputs.Create(path, replace)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := fmt.Fprint(output, "new"); err != nil {
		t.Fatal(err)
	}
	return output
}

// held is what a folder holds, file by file, but for the ledger.
func held(t *testing.T, dir string) string {
	t.Helper()
	entries, err := os.ReadDir(dir)
	if err != nil {
		t.Fatal(err)
	}
	var all []string
	for _, e := range entries {
		if e.Name() == source.LedgerName || strings.HasPrefix(e.Name(), ".lastblock-placing.") && isEmpty(e) {
			continue
		}
		text := "folder"
		if !e.IsDir() {
			data, err := os.ReadFile(filepath.Join(dir, e.Name()))
			if err != nil {
				t.Fatal(err)
			}
			text = string(data)
		}
		all = append(all, e.Name()+"="+text)
	}
	return strings.Join(all, " ")
}

// isEmpty tells whether a file is the mark of a run that is under way.
func isEmpty(e os.DirEntry) bool {
	info, err := e.Info()
	return err == nil && info.Size() == 0
}

func writeTo(t *testing.T, path, text string) {
	t.Helper()
	if err := os.WriteFile(path, []byte(text), 0o644); err != nil {
		t.Fatal(err)
	}
}

// Outputs that belong together are put in place together, or everything stays as it was.
func TestOutputsAreASet(t *testing.T) {
	for _, c := range []struct {
		rule   string
		breaks func(dir string) error
		want   string
	}{
		{"all go well", func(string) error { return nil }, "a.csv=new b.csv=new c.csv=new"},
		{"the last place is taken by a folder",
			func(dir string) error { return os.MkdirAll(filepath.Join(dir, "c.csv", "x"), 0o755) },
			"a.csv=old b.csv=old c.csv=folder"},
		{"somebody else has written the last one in between",
			func(dir string) error { return os.WriteFile(filepath.Join(dir, "c.csv"), []byte("theirs"), 0o644) },
			"a.csv=old b.csv=old c.csv=theirs"},
	} {
		dir := t.TempDir()
		writeTo(t, filepath.Join(dir, "a.csv"), "old")
		writeTo(t, filepath.Join(dir, "b.csv"), "old")
		outputs := new(Outputs)
		set := []*Output{
			started(t, outputs, filepath.Join(dir, "a.csv"), true),
			started(t, outputs, filepath.Join(dir, "b.csv"), true),
			started(t, outputs, filepath.Join(dir, "c.csv"), false),
		}
		if err := c.breaks(dir); err != nil {
			t.Fatal(err)
		}
		err := outputs.Commit(set...)
		outputs.Discard()
		if got := held(t, dir); got != c.want || (err == nil) != strings.HasSuffix(c.want, "c.csv=new") {
			t.Errorf("%s: the folder holds %s, error %v", c.rule, got, err)
		}
	}
}

// What a run that has ended left behind is removed by the next one, and told where a set was settled; what a run that
// is under way has, stays.
func TestWhatAKilledRunLeaves(t *testing.T) {
	dir := t.TempDir()
	path := func(name string) string { return filepath.Join(dir, name) }
	const set = "000000000000000f"
	writeTo(t, path("a.csv"), "new")
	writeTo(t, path(".a.csv."+set+".old"), "old")
	writeTo(t, path(".b.csv."+set+".part"), "new")
	writeTo(t, path("b.csv"), "old")
	b, err := os.Stat(path("b.csv"))
	if err != nil {
		t.Fatal(err)
	}
	was := fmt.Sprintf("{\"size\":3,\"time\":%q,\"print\":\"\"}", b.ModTime().Format(time.RFC3339Nano))
	writeTo(t, path(".lastblock-placing."+set),
		"{\"version\":1,\"set\":\""+set+"\",\"journal\":1,\"of\":1,\"begun\":\"2031-02-03T10:00:00Z\"}\n"+
			"{\"part\":\".a.csv."+set+".part\",\"to\":\"a.csv\",\"size\":3,\"was\":"+was+"}\n"+
			"{\"part\":\".b.csv."+set+".part\",\"to\":\"b.csv\",\"size\":3,\"was\":"+was+"}\n\"end\"\n")
	writeTo(t, path(".lastblock-placing.000000000000000e"), "{\"version\":") // torn before anything was done
	writeTo(t, path(".d.csv.000000000000000e.part"), "half")
	writeTo(t, path(".c.csv.00000004.part"), "half, of an earlier version")
	writeTo(t, path(".notes.part"), "theirs")
	var told []string
	first := &Outputs{Tell: func(text string) { told = append(told, text) }}
	under := started(t, first, path("e.csv"), false)
	parts := filepath.Base(under.file.Name()) + "=new "
	if got, want := held(t, dir), parts+".notes.part=theirs a.csv=new b.csv=new"; got != want {
		t.Errorf("the folder holds %s, want %s", got, want)
	}
	if len(told) != 1 || !strings.HasSuffix(told[0], "put a.csv and b.csv in place; they are in place now") {
		t.Errorf("it is told %q", told)
	}
	second := new(Outputs)
	if err := second.Commit(started(t, second, path("g.csv"), false)); err != nil {
		t.Fatal(err)
	}
	second.Discard()
	if got := held(t, dir); !strings.HasPrefix(got, parts) {
		t.Errorf("while a run is under way, the folder holds %s", got)
	}
	if err := first.Commit(under); err != nil {
		t.Fatal(err)
	}
	first.Discard()
	if got, want := held(t, dir), ".notes.part=theirs a.csv=new b.csv=new e.csv=new g.csv=new"; got != want {
		t.Errorf("at the end the folder holds %s, want %s", got, want)
	}
}

// What a run reads is none of its outputs, whatever path leads to it.
func TestInputsAreNoOutputs(t *testing.T) {
	dir := t.TempDir()
	plan := filepath.Join(dir, "lastblock.toml")
	writeTo(t, plan, "version = 1")
	for name, make := range map[string]func(string, string) error{"hard.toml": os.Link, "soft.toml": os.Symlink} {
		if err := make(plan, filepath.Join(dir, name)); err != nil {
			t.Fatal(err)
		}
	}
	if err := os.Symlink(dir, filepath.Join(dir, "again")); err != nil {
		t.Fatal(err)
	}
	outputs := new(Outputs)
	outputs.Protect(plan, filepath.Join(dir, "decisions.csv"))
	for _, name := range []string{"lastblock.toml", "hard.toml", "soft.toml", "again/lastblock.toml",
		"./lastblock.toml", "decisions.csv", "again/decisions.csv"} {
		var input *InputError
		if _, err := outputs.Create(filepath.Join(dir, name), true); !errors.As(err, &input) {
			t.Errorf("%s: error is %v", name, err)
		}
	}
	later := started(t, outputs, filepath.Join(dir, "list.csv"), true)
	outputs.Protect(filepath.Join(dir, "list.csv"))
	var input *InputError
	if err := outputs.Commit(later); !errors.As(err, &input) {
		t.Errorf("what is read later: error is %v", err)
	}
}

// Folders that an output needs are made, and do not stay where it does not come.
func TestFoldersAreMade(t *testing.T) {
	dir := t.TempDir()
	outputs := new(Outputs)
	started(t, outputs, filepath.Join(dir, "results", "2031-03", "all.csv"), false)
	outputs.Discard()
	if got := held(t, dir); got != "" {
		t.Errorf("discarded, and left behind %s", got)
	}
	if err := outputs.Commit(started(t, outputs, filepath.Join(dir, "results", "2031-03", "all.csv"),
		false)); err != nil {
		t.Fatal(err)
	}
	outputs.Discard()
	if got := held(t, filepath.Join(dir, "results", "2031-03")); got != "all.csv=new" {
		t.Errorf("the folder holds %s", got)
	}
}

// A device stays one, and is written to as it is.
func TestADeviceStaysOne(t *testing.T) {
	outputs := new(Outputs)
	if err := outputs.Commit(started(t, outputs, os.DevNull, true)); err != nil {
		t.Fatal(err)
	}
	if info, err := os.Stat(os.DevNull); err != nil || info.Mode().IsRegular() {
		t.Errorf("%s is %v, %v", os.DevNull, info.Mode(), err)
	}
}

// Many runs into one folder at once lose no note of what they wrote.
func TestNotesOfManyRuns(t *testing.T) {
	dir := t.TempDir()
	const runs = 40
	errs := make(chan error, runs)
	for i := range runs {
		go func() {
			outputs := new(Outputs)
			output, err := outputs.Create(filepath.Join(dir, fmt.Sprintf("%02d.csv", i)), false)
			if err == nil {
				_, err = fmt.Fprintf(output, "a,b\n%d,2\n", i)
			}
			if err == nil {
				err = outputs.Commit(output)
			}
			errs <- err
		}()
	}
	for range runs {
		if err := <-errs; err != nil {
			t.Error(err)
		}
	}
	writeTo(t, filepath.Join(dir, "branch.csv"), "a,b\n1,3\n")
	set, err := source.Find(t.Context(), source.Search{Paths: []string{dir}, Jobs: 1})
	if err != nil {
		t.Fatal(err)
	}
	if len(set.Sources) != 1 || set.Sources[0].Name != "branch.csv" {
		t.Errorf("%d sources are read, and %d passed over", len(set.Sources), len(set.PassedOver))
	}
	if slices.ContainsFunc(set.PassedOver,
		func(p source.PassedOver) bool { return p.Reason != source.OwnOutputReason }) {
		t.Errorf("passed over are %v", set.PassedOver)
	}
}

// An output that takes the place of another one leaves nothing of that, whatever stood there, and a link is replaced
// rather than what it leads to.
func TestWhatIsReplacedIsGone(t *testing.T) {
	dir := t.TempDir()
	for _, what := range []string{"file", "nothing", "link"} {
		to := filepath.Join(dir, what+".csv")
		switch what {
		case "file":
			writeTo(t, to, "old")
		case "link":
			other := filepath.Join(t.TempDir(), "other.csv")
			writeTo(t, other, "of somebody else")
			if err := os.Symlink(other, to); err != nil {
				t.Skip("no links here")
			}
			defer func() {
				if data, _ := os.ReadFile(other); string(data) != "of somebody else" {
					t.Errorf("what the link leads to holds %q", data)
				}
			}()
		}
		outputs := new(Outputs)
		if err := outputs.Commit(started(t, outputs, to, true)); err != nil {
			t.Fatal(err)
		}
	}
	if got := held(t, dir); got != "file.csv=new link.csv=new nothing.csv=new" {
		t.Errorf("the folder holds %s", got)
	}
}
