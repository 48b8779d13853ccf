package cli

import (
	"encoding/json"
	"fmt"
	"io/fs"
	"maps"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
)

// blockFile is what a test reads of the file of a block.
type blockFile struct {
	Number  int    `json:"block"`
	Period  string `json:"period"`
	Earlier []struct {
		Block   int `json:"block"`
		Sources int `json:"sources"`
	} `json:"earlier"`
	Sources []map[string]any `json:"sources"`
	Count   int              `json:"source_count"`
}

// blockFiles are the blocks of a folder.
func blockFiles(t *testing.T, dir string) (all []blockFile) {
	t.Helper()
	files, err := filepath.Glob(filepath.Join(dir, "blocks", "[0-9]*.json"))
	if err != nil {
		t.Fatal(err)
	}
	for _, file := range files {
		data, err := os.ReadFile(file)
		if err != nil {
			t.Fatal(err)
		}
		var b blockFile
		if err := json.Unmarshal(data, &b); err != nil {
			t.Fatal(err)
		}
		all = append(all, b)
	}
	return all
}

// own are the names of the sources that stand in a block itself.
func (b *blockFile) own() string {
	var names []string
	for _, s := range b.Sources {
		names = append(names, s["source"].(string))
	}
	return strings.Join(names, " ")
}

// aloneOf closes what lies in a folder in a folder of its own, without the blocks that are there.
func aloneOf(t *testing.T, dir, period string) (string, func(want int, args ...string) string) {
	t.Helper()
	alone := t.TempDir()
	err := os.CopyFS(alone, os.DirFS(dir))
	for _, made := range []string{"blocks", "results"} {
		if err == nil {
			err = os.RemoveAll(filepath.Join(alone, made))
		}
	}
	if err != nil {
		t.Fatal(err)
	}
	run := planned(t, alone)
	run(ExitDone, quietly(period)...)
	return alone, run
}

// member is a member of a JSON document, as text.
func member(t *testing.T, document, name string) string {
	t.Helper()
	var o map[string]json.RawMessage
	if err := json.Unmarshal([]byte(document), &o); err != nil {
		t.Fatalf("%v: %s", err, document)
	}
	return string(o[name])
}

// Whatever stands in earlier blocks, a block says what it would say if it were the first and only one: with results
// that come, change and go, records that are retained from some month on, decisions, control sheets, and files that
// change, move, go and come back.
func TestABlockSaysWhatItWouldSayAlone(t *testing.T) {
	const head = "version = 1\n[read]\npaths = [\"in\"]\nname = \"{entity}_{period}\"\n" +
		"[tieout]\ntotal = [\"v\"]\ndeclared = \"control.csv\"\n"
	const by = "[[rollup]]\nname = \"by-account\"\nby = [\"account\"]\nsum = [\"v\"]\n"
	plain := head + by
	retaining := head + "[close]\nretain = true\n" + by
	more := retaining +
		"[[rollup]]\nname = \"by-month\"\nby = [\"period\", \"account\"]\nsum = [\"v\"]\nwhere = 'account != \"3\"'\n"
	other := strings.Replace(more, `!= "3"`, `!= "1"`, 1) + "[[collate]]\nname = \"all\"\nbare = true\ntotal = [\"v\"]\n"
	dir := t.TempDir()
	run := planned(t, dir)
	control := make(map[string]int)
	put := func(name string, values ...int) {
		text := "doc,account,v\n"
		for i, v := range values {
			text += fmt.Sprintf("%s-%d,%d,%d.50\n", name, i, 1+i%3, v)
		}
		writeFiles(t, dir, map[string]string{"in/" + name + ".csv": text})
		control[name] = len(values)
	}
	month := func(m int) {
		for i, entity := range []string{"a", "b", "c"} {
			put(fmt.Sprintf("%s_2031-%02d", entity, m), m, 10*m+i, 100*m)
		}
	}
	remove := func(name string) {
		if err := os.Remove(filepath.Join(dir, "in", name+".csv")); err != nil {
			t.Fatal(err)
		}
		delete(control, name)
	}
	steps := []struct {
		what, period, plan string
		do                 func()
		more               []string
		own                string // sources that the block has itself
	}{
		{"the first", "2031-01", plain, func() { month(1) }, nil, "a_2031-01.csv b_2031-01.csv c_2031-01.csv"},
		{"nothing but a month more", "2031-02", plain, func() { month(2) }, nil,
			"a_2031-02.csv b_2031-02.csv c_2031-02.csv"},
		{"records are retained", "2031-03", retaining, func() { month(3) }, nil, "a_2031-01.csv a_2031-02.csv " +
			"a_2031-03.csv b_2031-01.csv b_2031-02.csv b_2031-03.csv c_2031-01.csv c_2031-02.csv c_2031-03.csv"},
		{"a summary more", "2031-04", more, func() { month(4) }, nil, "a_2031-04.csv b_2031-04.csv c_2031-04.csv"},
		{"another condition, and one more result", "2031-05", other, func() { month(5) }, nil,
			"a_2031-05.csv b_2031-05.csv c_2031-05.csv"},
		{"a file has changed, and one has moved, so that its entity is written otherwise", "2031-06", other, func() {
			month(6)
			put("a_2031-02", 7, 7)
			if err := os.Rename(filepath.Join(dir, "in", "b_2031-01.csv"),
				filepath.Join(dir, "in", "B_2031-01.csv")); err != nil {
				t.Fatal(err)
			}
			control["B_2031-01"] = control["b_2031-01"]
			delete(control, "b_2031-01")
		}, nil, "B_2031-01.csv a_2031-02.csv a_2031-06.csv b_2031-02.csv b_2031-03.csv b_2031-04.csv b_2031-05.csv " +
			"b_2031-06.csv c_2031-06.csv"},
		{"an early month is restated", "2031-02", other, func() { put("c_2031-02", 1, 2) },
			[]string{"--restate", "--reason", "late"}, "c_2031-02.csv"},
		{"one has gone, and the file that changed is as it was", "2031-07", plain, func() {
			month(7)
			remove("c_2031-03")
			put("a_2031-02", 2, 20, 200)
		}, nil, "a_2031-02.csv a_2031-07.csv b_2031-07.csv c_2031-07.csv"},
		{"it comes back", "2031-08", other, func() { month(8); put("c_2031-03", 3, 32, 300) }, nil,
			"a_2031-02.csv a_2031-07.csv a_2031-08.csv b_2031-07.csv b_2031-08.csv c_2031-07.csv c_2031-08.csv"},
	}
	for n, step := range steps {
		step.do()
		declared := "source,rows\n"
		for _, name := range slices.Sorted(maps.Keys(control)) {
			declared += fmt.Sprintf("%s.csv,%d\n", name, control[name])
		}
		writeFiles(t, dir, map[string]string{"lastblock.toml": step.plan, "control.csv": declared})
		said, stderr, code := runProgram(t, dir, "", "tieout", "--json", "--plan", "lastblock.toml")
		if code > ExitStop {
			t.Fatalf("%s: %s%s", step.what, said, stderr)
		}
		var found struct {
			Findings []struct{ ID, Severity string }
		}
		if err := json.Unmarshal([]byte(said), &found); err != nil {
			t.Fatal(err)
		}
		for _, f := range found.Findings {
			if f.Severity == "stop" {
				run(ExitDone, "decide", f.ID, "--accept", "--reason", "known", "--user", "anna")
			}
		}
		run(ExitDone, append(quietly(step.period), step.more...)...)
		all := blockFiles(t, dir)
		if got := all[n].own(); got != step.own {
			t.Errorf("%s: the block has %s itself, want %s", step.what, got, step.own)
		}
		_, alone := aloneOf(t, dir, step.period)
		number := fmt.Sprint(n + 1)
		for _, name := range []string{"filed", "summaries", "declared", "sources", "proof"} {
			sections := "filed,summary,control,sources,proof"
			is := member(t, run(ExitDone, "report", "--block", number, "--json", "--section", sections), name)
			want := member(t, alone(ExitDone, "report", "--block", "1", "--json", "--section", sections), name)
			if is != want {
				t.Errorf("%s: of %s the chain says\n%s\nand one block alone\n%s", step.what, name, is, want)
			}
		}
		figures := []string{"account=1", "account=2", "account=3"}
		if strings.Contains(step.plan, "by-month") {
			figures = append(figures, "period=2031-01", "period="+step.period)
		}
		for _, figure := range figures {
			point := func(text string, number int) string {
				var o struct {
					Blocks []struct {
						Number int
						Figure struct {
							Records, Unknown int
							Amount           string
						}
					}
				}
				if err := json.Unmarshal([]byte(text), &o); err != nil {
					t.Fatalf("%v: %s", err, text)
				}
				for _, b := range o.Blocks {
					if b.Number == number {
						return fmt.Sprint(b.Figure)
					}
				}
				return "nothing"
			}
			is := point(run(ExitDone, "history", figure, "--json"), n+1)
			if want := point(alone(ExitDone, "history", figure, "--json"), 1); is != want {
				t.Errorf("%s: %s is %s in the chain, and %s alone", step.what, figure, is, want)
			}
			is = run(ExitDone, "trace", figure, "--block", number, "--all", "--json")
			want := alone(ExitDone, "trace", figure, "--block", "1", "--all", "--json")
			for _, name := range []string{"records", "sources", "amount", "sealed", "as_sealed"} {
				if got, want := member(t, is, name), member(t, want, name); got != want {
					t.Errorf("%s: trace of %s says of %s\n%s\nand alone\n%s", step.what, figure, name, got, want)
				}
			}
		}
		says(t, run(ExitDone, "verify", "--sources"), "untouched")
	}
	// Each block is what it was, and shows it.
	for n := range steps {
		if !strings.Contains(steps[n].plan, "retain") {
			continue
		}
		text := run(ExitDone, "trace", "account=2", "--block", fmt.Sprint(n+1), "--all", "--json")
		if member(t, text, "as_sealed") != "true" {
			t.Errorf("block %d shows no records: %s", n+1, text)
		}
	}
}

// Equal months take little more than each of them, and no block but its own has what a month was sent.
func TestTwelveEqualMonths(t *testing.T) {
	dir, run := monthOf(t, "version = 1\n[read]\npaths = [\"in\"]\nname = \"{entity}_{period}\"\n[tieout]\n"+
		"total = [\"v\"]\ndeclared = \"{source}.ctl\"\n[close]\nretain = true\n[[rollup]]\nby = [\"account\"]\n"+
		"sum = [\"v\"]\nname = \"by-account\"\n[[rollup]]\nname = \"by-month\"\n"+
		"by = [\"entity\", \"period\", \"account\"]\nsum = [\"v\"]\n", nil)
	r := rand.New(rand.NewPCG(1, 2))
	const entities, records = 30, 60
	months := func(number int) string { return fmt.Sprintf("2031-%02d", number) }
	var own int64 // what the first month takes
	for m := 1; m <= 12; m++ {
		files := make(map[string]string)
		for e := range entities {
			text := "doc,account,text,v\n"
			for i := range records {
				text += fmt.Sprintf("%d-%d,%d,%x,%d.%02d\n", e, i, 4000+r.IntN(20), r.Uint64(), r.IntN(9999),
					r.IntN(100))
			}
			name := fmt.Sprintf("in/u%02d_%s", e, months(m))
			files[name+".csv"], files[name+".ctl"] = text, fmt.Sprintf("rows,%d\n", records)
		}
		writeFiles(t, dir, files)
		run(ExitDone, quietly(months(m))...)
		if m == 1 {
			own = packedSize(t, dir)
		}
	}
	var all int64
	for _, b := range blockFiles(t, dir) {
		if len(b.Sources) != entities || b.Count != b.Number*entities || len(b.Earlier) != b.Number-1 {
			t.Errorf("block %d has %d sources of %d itself, and stands on %d", b.Number, len(b.Sources), b.Count,
				len(b.Earlier))
		}
		for _, of := range b.Earlier {
			if of.Sources != entities {
				t.Errorf("block %d uses %d sources of block %d", b.Number, of.Sources, of.Block)
			}
		}
	}
	err := filepath.WalkDir(filepath.Join(dir, "blocks"), func(_ string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		info, err := d.Info()
		all += info.Size()
		return err
	})
	if most := 12 * own * 16 / 10; err != nil || all > most {
		t.Errorf("%v: twelve months take %d bytes, of which one takes %d: more than %d", err, all, own, most)
	}
}

// packedSize is how many bytes the packed files beside the blocks of a folder have.
func packedSize(t *testing.T, dir string) (n int64) {
	t.Helper()
	files, err := filepath.Glob(filepath.Join(dir, "blocks", "*.zst"))
	for _, file := range files {
		info, err := os.Stat(file)
		if err != nil {
			t.Fatal(err)
		}
		n += info.Size()
	}
	if err != nil {
		t.Fatal(err)
	}
	return n
}

// A block whose earlier files are gone says so where they are asked for, and shows the rest; the next close goes on,
// and has again what was lost.
func TestEarlierFilesAreGone(t *testing.T) {
	dir, run := monthOf(t, "version = 1\n[read]\npaths = [\"in\"]\nname = \"{entity}_{period}\"\n[tieout]\n"+
		"total = [\"v\"]\n[close]\nretain = true\n[[rollup]]\nby = [\"account\"]\nsum = [\"v\"]\n",
		map[string]string{"in/a_2031-01.csv": "account,v\n1,5.00\n"})
	run(ExitDone, quietly("2031-01")...)
	writeFiles(t, dir, map[string]string{"in/a_2031-02.csv": "account,v\n1,2.00\n"})
	run(ExitDone, quietly("2031-02")...)
	lose := func(name string) (back func()) {
		path := filepath.Join(dir, "blocks", name)
		if err := os.Rename(path, path+"-away"); err != nil {
			t.Fatal(err)
		}
		return func() {
			if err := os.Rename(path+"-away", path); err != nil {
				t.Fatal(err)
			}
		}
	}
	back := lose("0001-2031-01.csv.zst")
	says(t, run(ExitStop, "verify", "--sources"), "blocks/0001-2031-01.csv.zst  figures  gone",
		"2 blocks from 1 to 2 cannot show what 1 source gave to each figure without blocks/0001-2031-01.csv.zst",
		"put it back from a copy", "proved without it", "2 blocks: the chain is whole")
	lost := "block 2 cannot show its figures: those of 1 of its 2 sources are in " +
		filepath.Join("blocks", "0001-2031-01.csv.zst") + ", which block 1 has sealed, and which is gone"
	says(t, run(ExitNotDone, "history", "account=1"), "block 1 cannot show its figures: they are in")
	says(t, run(ExitDone, "changes"), "2 the same", "every figure is as it was sealed")
	says(t, run(ExitDone, "trace", "account=1"), lost, "7.00")
	says(t, run(ExitNotDone, "trace", "account=1", "--block", "2"), lost)
	says(t, run(ExitDone, "report", "--block", "2", "--out", "p.html"), lost, "p.html")
	writeFiles(t, dir, map[string]string{"in/a_2031-03.csv": "account,v\n1,1.00\n"})
	says(t, run(ExitDone, "close", "--period", "2031-03", "--user", "anna"), lost, "there are no bridges to it")
	for _, b := range blockFiles(t, dir)[2:] {
		if b.own() != "a_2031-03.csv" || len(b.Earlier) != 2 {
			t.Errorf("the next block has %s itself, and stands on %v", b.own(), b.Earlier)
		}
	}
	says(t, run(ExitDone, "history", "account=1"), "8.00", "block 1 cannot show its figures", lost)
	says(t, run(ExitDone, "trace", "account=1", "--block", "3", "--all"), "5.00", "2.00", "1.00")
	back()
	says(t, run(ExitDone, "verify", "--sources"), "untouched")
	back = lose("0001-2031-01.records.csv.zst")
	says(t, run(ExitStop, "verify"), "3 blocks from 1 to 3 cannot show the records of 1 source without")
	says(t, run(ExitDone, "close", "--period", "2031-03", "--restate", "--reason", "records", "--user", "anna",
		"--quiet"))
	if err := os.Remove(filepath.Join(dir, "in", "a_2031-01.csv")); err != nil {
		t.Fatal(err)
	}
	says(t, run(ExitDone, "trace", "account=1", "--block", "4", "--all"), "a_2031-01.csv     2  5.00", "2.00", "1.00")
	back()
	back = lose("0001-2031-01.pack.json.zst")
	says(t, run(ExitNotDone, "report", "--block", "2", "--out", "q.html"), "block 2 cannot show its checks")
	says(t, run(ExitStop, "verify"), "cannot show what the checks came to without blocks/0001-2031-01.pack.json.zst")
	back()
	// What was changed there is no loss, but a chain that nobody goes on with.
	writeFiles(t, dir, map[string]string{"blocks/0001-2031-01.csv.zst": "other"})
	says(t, run(ExitNotDone, "history", "account=1"),
		"block 1 in blocks: its figures in 0001-2031-01.csv.zst were changed")
}

// What is frozen, from its files or from the records that an earlier block has retained, stands in the blocks that have
// it.
func TestFrozenSourcesStandInEarlierBlocks(t *testing.T) {
	dir, run := monthOf(t, "version = 1\n[read]\npaths = [\"in\"]\nname = \"{entity}_{period}\"\n[tieout]\n"+
		"total = [\"v\"]\n[close]\nretain = true\n[[rollup]]\nby = [\"entity\", \"account\"]\nsum = [\"v\"]\n", nil)
	put := func(name string, cents int) {
		text := fmt.Sprintf("account,v\n1,2.%02d\n2,1.00\n", cents)
		writeFiles(t, dir, map[string]string{"in/" + name + ".csv": text})
	}
	for m := 1; m <= 3; m++ {
		put(fmt.Sprintf("a_2031-%02d", m), m)
		put(fmt.Sprintf("b_2031-%02d", m), 10+m)
		run(ExitDone, quietly(fmt.Sprintf("2031-%02d", m))...)
	}
	away := func(name string) {
		if err := os.Remove(filepath.Join(dir, "in", name+".csv")); err != nil {
			t.Fatal(err)
		}
	}
	away("a_2031-01") // whose records block 1 has retained
	says(t, run(ExitDone, "freeze", "a", "--reason", "sold", "--user", "anna"), "a_2031-01.csv.records.csv")
	away("a_2031-02")
	away("a_2031-03")
	put("b_2031-04", 20)
	run(ExitDone, quietly("2031-04")...)
	if last := blockFiles(t, dir)[3]; last.own() != "b_2031-04.csv" || last.Count != 7 || len(last.Earlier) != 3 {
		t.Errorf("the block has %s itself of %d sources, and stands on %v", last.own(), last.Count, last.Earlier)
	}
	says(t, run(ExitDone, "trace", "entity=a", "account=1", "--block", "4", "--all"),
		"6.06, from 3 records of 3 sources", "a_2031-01.csv     2  2.01",
		"a_2031-02.csv     2  2.02", "a_2031-03.csv     2  2.03")
	says(t, run(ExitDone, "verify", "--sources"), "untouched")
}
