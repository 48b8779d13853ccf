package source

import (
	"compress/gzip"
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"reflect"
	"slices"
	"strings"
	"sync"
	"testing"
)

func TestNamePattern(t *testing.T) {
	for _, c := range []struct {
		pattern, file string
		want          []string // nil: does not match
		sheet         string
	}{
		{"{entity}/{sheet}", "corvane.xlsx", []string{"corvane", "Jan. 31"}, "Jan. 31"},
		{"{entity}/{period}", "in/corvane.xlsx", []string{"corvane", "2031-01"}, "2031-01"},
		{"{entity}_{period}", "in/corvane_2031-01.xlsx", []string{"corvane", "2031-01"}, "Journal"},
		{"{sheet}", "corvane.xlsx", []string{"Journal"}, "Journal"},
		{"{entity}_{period}*", "brackenfell_2031-01.csv", []string{"brackenfell", "2031-01"}, ""},
		{"{entity}_{period}*", "brackenfell_2031-01_v2.csv", []string{"brackenfell", "2031-01"}, ""},
		{"{entity}_{period}*", "north_west_2031-01.csv", []string{"north_west", "2031-01"}, ""},
		{"{entity}_{period}", "corvane_2031Q1.csv", []string{"corvane", "2031Q1"}, ""},
		{"{entity}_{period}", "corvane_2031-W05.tsv", []string{"corvane", "2031-W05"}, ""},
		{"{entity}_{period}", "corvane_spring.csv", []string{"corvane", "spring"}, ""},
		{"{period} {entity}", "20310131 Corvane.csv", []string{"20310131", "Corvane"}, ""},
		{"Journal {entity}", "Journal Corvane.old.csv", []string{"Corvane.old"}, ""},
		{"{entity}_{period}", "corvane.csv", nil, ""},
		{"{entity}/{period}", "corvane/2031-01.csv", []string{"corvane", "2031-01"}, ""},
		{"{region}-?{entity}", "north-1corvane", []string{"north", "corvane"}, ""},
		{"{entity}(final)", "corvane(final).csv", []string{"corvane"}, ""},
		{"Journal {entity} {period:MM-YYYY}", "Journal North West 03-2031.csv", []string{"North West", "2031-03"}, ""},
		{"Return {period:MMM YYYY} {entity}", "in/Return Mar 2031 corvane.xlsx", []string{"2031-03", "corvane"}, ""},
		{"Return {period:MMM YYYY} {entity}", "Return march 2031 corvane.xlsx", []string{"2031-03", "corvane"}, ""},
		{"{entity}{period:MMMYYYY}", "corvaneMay2031.csv", []string{"corvane", "2031-05"}, ""},
		{"Return {period:MMM YYYY} {entity}", "Return Foo 2031 corvane.xlsx", nil, ""},
		{"{entity}_{period:DDMMYY}", "corvane_310131.csv", []string{"corvane", "2031-01-31"}, ""},
		{"{entity}_{period:DDMMYY}", "corvane_320131.csv", nil, ""},
		{"{entity}_{period:D.M.YYYY}", "corvane_1.2.2031.csv", []string{"corvane", "2031-02-01"}, ""},
		{"{period:Www-YYYY} {entity}", "W05-2031 corvane.csv", []string{"2031-W05", "corvane"}, ""},
		{"{entity} {period:Qq YYYY}", "corvane Q4 2031.csv", []string{"corvane", "2031Q4"}, ""},
		{"{entity} {period:Qq YYYY}", "corvane Q5 2031.csv", nil, ""},
		{"{period:YYYY}/{entity} {period:MM}", "2031/corvane 03.csv", []string{"2031-03", "corvane"}, ""},
		{"{entity} {period:MM-YYYY}", "corvane 13-2031.csv", nil, ""},
		{"{Journal,Ledger} {entity}", "Ledger corvane.csv", []string{"corvane"}, ""},
		{"[JL]* {entity}", "Ledger corvane.csv", []string{"corvane"}, ""},
		{`\[{entity}\]`, "[corvane].csv", []string{"corvane"}, ""},
		{"**/{entity}", "a/b/corvane.csv", []string{"corvane"}, ""},
	} {
		p, err := ParseNamePattern(c.pattern)
		if err != nil {
			t.Fatal(err)
		}
		if got, _ := p.Match(c.file, c.sheet); !reflect.DeepEqual(got, c.want) {
			t.Errorf("%s on %s gives %q, want %q", c.pattern, c.file, got, c.want)
		}
	}
}

func TestNamePatternsThatAreRefused(t *testing.T) {
	for pattern, want := range map[string]string{
		"{entity_{period}":          "is not closed",
		"{two words}":               "is no word",
		"{entity:YYYY}":             "only {period} can",
		"{period:yyyy-mm}":          "\"y\" in {period:yyyy-mm} stands for nothing",
		"{period:MM}":               "need one year",
		"{period:YYYY}_{period:YY}": "need one year",
		"{period:YYYY-DD}":          "need the month of the day",
		"{period:YYYY-ww-MM}":       "several periods",
		"{period:}":                 "has no part of a period",
		"{period}_{period:YYYY}":    "with a form and without",
		"{entity}_{period":          "is not closed",
		"{entity}_{entity}":         "stands twice",
		"{entty}_{period}":          "did you mean {entity}?",
		"{entity}_{peroid}":         "did you mean {period}?",
		"journal":                   "no word in braces",
		"{}":                        "is no word",
		"{two words}_{period}":      "is no word",
	} {
		if _, err := ParseNamePattern(pattern); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: error is %v, want one that says %q", pattern, err, want)
		}
	}
}

// folder makes files in a temporary folder.
func folder(t *testing.T, files map[string]string) string {
	t.Helper()
	dir := t.TempDir()
	for name, content := range files {
		path := filepath.Join(dir, filepath.FromSlash(name))
		if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(path, []byte(content), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	return dir
}

func names(set *Set) (sources, passedOver []string) {
	for _, s := range set.Sources {
		sources = append(sources, s.Name)
	}
	for _, p := range set.PassedOver {
		passedOver = append(passedOver, p.Source)
	}
	return sources, passedOver
}

func TestFind(t *testing.T) {
	dir := folder(t, map[string]string{
		"b10.csv": "x", "b2.csv": "x", "a.TSV": "x", ".hidden.csv": "x", "~$b2.xlsx": "x", ".~lock.b2.ods#": "x",
		"report.pdf": "x", "README": "x", "sub/c.csv": "x", "sub/.git/d.csv": "x", LedgerName: "",
	})
	for _, c := range []struct {
		rule   string
		search Search
		want   []string
		passed []string
	}{
		{"a folder means the data files directly in it", Search{Paths: []string{dir}},
			[]string{"a.TSV", "b2.csv", "b10.csv"},
			[]string{".hidden.csv", ".~lock.b2.ods#", "README", "report.pdf", "sub", "~$b2.xlsx"}},
		{"recurse reads below it", Search{Paths: []string{dir}, Recurse: true},
			[]string{"a.TSV", "b2.csv", "b10.csv", "sub/c.csv"},
			[]string{".hidden.csv", ".~lock.b2.ods#", "README", "report.pdf", "sub/.git", "~$b2.xlsx"}},
		{"a pattern", Search{Paths: []string{filepath.Join(dir, "b*.csv")}}, []string{"b2.csv", "b10.csv"}, nil},
		{"a pattern over folders", Search{Paths: []string{filepath.Join(dir, "**", "c.csv")}}, []string{"sub/c.csv"},
			nil},
		{"only and skip", Search{Paths: []string{dir}, Only: []string{"b*"}, Skip: []string{"*10*"}},
			[]string{"b2.csv"}, []string{".hidden.csv", ".~lock.b2.ods#", "README", "a.TSV", "b10.csv", "report.pdf",
				"sub", "~$b2.xlsx"}},
		{"a file that is named is read whatever its ending", Search{Paths: []string{filepath.Join(dir, "README")}},
			[]string{"README"}, nil},
		{"a file that is named twice is read once",
			Search{Paths: []string{dir, filepath.Join(dir, "b2.csv")}, Only: []string{"b2*"}},
			[]string{"b2.csv"}, []string{".hidden.csv", ".~lock.b2.ods#", "README", "a.TSV", "b10.csv", "report.pdf",
				"sub", "~$b2.xlsx"}},
	} {
		t.Run(c.rule, func(t *testing.T) {
			c.search.Jobs = 2
			set, err := Find(context.Background(), c.search)
			if err != nil {
				t.Fatal(err)
			}
			sources, passed := names(set)
			if !reflect.DeepEqual(sources, c.want) || !reflect.DeepEqual(passed, c.passed) {
				t.Errorf("sources %q, passed over %q", sources, passed)
			}
		})
	}
}

func TestSourcesOfTheSameNameAreToldApart(t *testing.T) {
	dir := folder(t, map[string]string{"jan/a.csv": "x", "feb/a.csv": "x"})
	set, err := Find(context.Background(), Search{Paths: []string{filepath.Join(dir, "jan"),
		filepath.Join(dir, "feb")}})
	if err != nil {
		t.Fatal(err)
	}
	sources, _ := names(set)
	if want := []string{filepath.ToSlash(filepath.Join(dir, "feb/a.csv")),
		filepath.ToSlash(filepath.Join(dir, "jan/a.csv"))}; !reflect.DeepEqual(sources, want) {
		t.Errorf("sources are %q, want %q", sources, want)
	}
}

func TestAPathThatIsNotThereNamesTheNearestOne(t *testing.T) {
	dir := folder(t, map[string]string{"corvane.csv": "x"})
	_, err := Find(context.Background(), Search{Paths: []string{filepath.Join(dir, "corvan.csv")}})
	var missing *NotFoundError
	if !errors.As(err, &missing) || missing.Near != filepath.Join(dir, "corvane.csv") {
		t.Errorf("error is %v", err)
	}
}

// places collects what a scan reads, as "source:line first field".
type places struct {
	mutex *sync.Mutex
	set   *Set
	tasks map[int][]string
	now   []string
	first map[int]int
}

func (p *places) Batch(b *Batch) error {
	p.mutex.Lock()
	defer p.mutex.Unlock()
	if b.First {
		p.first[b.Index]++
	}
	var scratch []byte
	for row := range b.Batch.Rows {
		p.now = append(p.now, fmt.Sprintf("%s:%d %s", p.set.Sources[b.Index].Name, b.Line(row),
			b.Text(row, 0, &scratch)))
	}
	return nil
}

func (p *places) Flush(_ context.Context, task int) error {
	p.mutex.Lock()
	defer p.mutex.Unlock()
	p.tasks[task] = p.now
	p.now = nil
	return nil
}

// scanAll reads a folder and returns all records in the order of the tasks.
func scanAll(t *testing.T, set *Set, jobs int) []string {
	t.Helper()
	var mutex sync.Mutex
	tasks, first := make(map[int][]string), make(map[int]int)
	err := set.Scan(context.Background(), Reading{Jobs: jobs, Memory: 1 << 30}, func() Visitor {
		return &places{mutex: &mutex, set: set, tasks: tasks, first: first}
	})
	if err != nil {
		t.Fatal(err)
	}
	var all []string
	for task := range len(tasks) {
		records, ok := tasks[task]
		if !ok {
			t.Fatalf("task %d of %d is missing", task, len(tasks))
		}
		all = append(all, records...)
	}
	for index := range set.Sources {
		if first[index] != 1 && !set.IsPassedOver(index) {
			t.Errorf("source %d had %d first batches", index, first[index])
		}
	}
	return all
}

func TestScanReadsEverythingOnceAndInOrder(t *testing.T) {
	files := map[string]string{"empty.csv": "", "header.csv": "a,b\n"}
	var want []string
	var large strings.Builder
	large.WriteString("a,b\n")
	line := 2
	for i := 0; large.Len() < sharedSize+3*(1<<20); i++ { // a file that all goroutines read
		if i%1000 == 7 {
			fmt.Fprintf(&large, "%d,\"a\nb,\n\"\n", i)
			want = append(want, fmt.Sprintf("big.csv:%d %d", line, i))
			line += 3
			continue
		}
		fmt.Fprintf(&large, "%d,some text to fill the line\n", i)
		want = append(want, fmt.Sprintf("big.csv:%d %d", line, i))
		line++
	}
	files["big.csv"] = large.String()
	for i := range 200 {
		name := fmt.Sprintf("small%d.csv", i)
		files[name] = fmt.Sprintf("a,b\n%d,x\n%d,y", i, i)
		want = append(want, fmt.Sprintf("%s:2 %d", name, i), fmt.Sprintf("%s:3 %d", name, i))
	}
	dir := folder(t, files)
	for _, jobs := range []int{1, 4} {
		set, err := Find(context.Background(), Search{Paths: []string{dir}})
		if err != nil {
			t.Fatal(err)
		}
		if got := scanAll(t, set, jobs); !slices.Equal(got, want) {
			t.Errorf("%d jobs: %d records, want %d", jobs, len(got), len(want))
		}
		if err := set.Look(context.Background(), Reading{Jobs: jobs, Memory: 1 << 30}); err != nil {
			t.Fatal(err)
		}
		if got := scanAll(t, set, jobs); !slices.Equal(got, want) {
			t.Errorf("%d jobs, after a look: %d records, want %d", jobs, len(got), len(want))
		}
	}
}

func TestOwnOutputsArePassedOver(t *testing.T) {
	collated := "a,source,source_line\n1,x.csv,2\n"
	dir := folder(t, map[string]string{"data.csv": "a\n1\n", "all.csv": collated, "noted.csv": "a\n7\n"})
	fingerprint, err := printOf(filepath.Join(dir, "noted.csv"))
	if err != nil {
		t.Fatal(err)
	}
	note := Note("elsewhere.csv", 4, fingerprint) + "\n7 f" // known under any name; the last note is torn
	if err := os.WriteFile(filepath.Join(dir, LedgerName), []byte(note), 0o644); err != nil {
		t.Fatal(err)
	}
	set, err := Find(context.Background(), Search{Paths: []string{dir}})
	if err != nil {
		t.Fatal(err)
	}
	if got := scanAll(t, set, 2); !slices.Equal(got, []string{"data.csv:2 1"}) {
		t.Errorf("read %q", got)
	}
	if _, passed := names(set); !slices.Equal(passed, []string{"all.csv", "noted.csv"}) {
		t.Errorf("passed over %q", passed)
	}
	meant, err := Find(context.Background(), Search{Paths: []string{filepath.Join(dir, "all.csv")}})
	if err != nil {
		t.Fatal(err)
	}
	if got := scanAll(t, meant, 1); !slices.Equal(got, []string{"all.csv:2 1"}) {
		t.Errorf("an own output that is named alone gives %q", got)
	}
}

func TestAFileThatGoesMissingIsAnErrorThatNamesIt(t *testing.T) {
	dir := folder(t, map[string]string{"a.csv": "x\n1\n", "b.csv": "x\n1\n"})
	set, err := Find(context.Background(), Search{Paths: []string{dir}})
	if err != nil {
		t.Fatal(err)
	}
	if err := os.Remove(filepath.Join(dir, "b.csv")); err != nil {
		t.Fatal(err)
	}
	err = set.Scan(context.Background(), Reading{Jobs: 2, Memory: 1 << 20}, func() Visitor {
		return &places{mutex: new(sync.Mutex), set: set, tasks: map[int][]string{}, first: map[int]int{}}
	})
	var failed *Error
	if !errors.As(err, &failed) || failed.Source != "b.csv" || !errors.Is(err, os.ErrNotExist) {
		t.Errorf("error is %v", err)
	}
}

func TestAFileThatChangesBetweenLookAndScanIsAnError(t *testing.T) {
	dir := folder(t, map[string]string{"a.csv": "x,y\n" + strings.Repeat("1,2\n", keptFileSize)})
	set, err := Find(context.Background(), Search{Paths: []string{dir}})
	if err != nil {
		t.Fatal(err)
	}
	if err := set.Look(context.Background(), Reading{Jobs: 1, Memory: 1 << 30}); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(filepath.Join(dir, "a.csv"), []byte("x,y,z\n1,2,3\n"), 0o644); err != nil {
		t.Fatal(err)
	}
	err = set.Scan(context.Background(), Reading{Jobs: 2, Memory: 1 << 20}, func() Visitor {
		return &places{mutex: new(sync.Mutex), set: set, tasks: map[int][]string{}, first: map[int]int{}}
	})
	if !errors.Is(err, ErrChanged) {
		t.Errorf("error is %v", err)
	}
}

func TestColumnsOfAllSources(t *testing.T) {
	set, err := Find(context.Background(), Search{Paths: []string{folder(t, map[string]string{
		"a.csv": "x,y\n1,2\n", "b.csv": "z,y\n1,2\n", "c.csv": "", "d.csv": "x,w\n",
	})}})
	if err != nil {
		t.Fatal(err)
	}
	if err := set.Look(context.Background(), Reading{Jobs: 3, Memory: 1 << 30}); err != nil {
		t.Fatal(err)
	}
	if got := set.Columns(); !slices.Equal(got, []string{"x", "y", "z", "w"}) {
		t.Errorf("columns are %q", got)
	}
}

func TestReadTable(t *testing.T) {
	dir := folder(t, map[string]string{"t.csv": "k;v\na;1\n\"b\nc\";2\n", "bad.csv": "k,v\na,1\nb\n"})
	table, err := ReadTable(context.Background(), filepath.Join(dir, "t.csv"), Reading{Memory: 1 << 20}, 0)
	if err != nil {
		t.Fatal(err)
	}
	if !reflect.DeepEqual(table.Rows, [][]string{{"a", "1"}, {"b\nc", "2"}}) ||
		!slices.Equal(table.Lines, []int{2, 3}) {
		t.Errorf("rows are %q on lines %v", table.Rows, table.Lines)
	}
	if table.Value(1, "v") != "2" || table.Value(1, "#1") != "b\nc" || table.Value(0, "no") != "" || !table.Has("k") ||
		table.Has("#1") {
		t.Error("values are not found by name and position")
	}
	if _, err := ReadTable(context.Background(), filepath.Join(dir, "bad.csv"), Reading{Memory: 1 << 20},
		0); err == nil || !strings.Contains(err.Error(), "line 3 cannot be read") {
		t.Errorf("error is %v", err)
	}
}

// The same journal under every wrapping, and one wrapped twice.
func TestWrappedSourcesAreRead(t *testing.T) {
	text := "doc,debit\nC1,1.50\nC2,2.50\n"
	var gzipped, twice strings.Builder
	w := gzip.NewWriter(&gzipped)
	w.Write([]byte(text))
	w.Close()
	utf16 := "\xff\xfe" + strings.Join(strings.Split(text, ""), "\x00") + "\x00"
	w = gzip.NewWriter(&twice)
	w.Write([]byte(utf16))
	w.Close()
	dir := folder(t, map[string]string{"a.csv.gz": gzipped.String(), "b.csv": utf16, "c.csv.GZ": twice.String(),
		"d.csv": text, "e.pdf.gz": gzipped.String()})
	want := []string{"a.csv.gz:2 C1", "a.csv.gz:3 C2", "b.csv:2 C1", "b.csv:3 C2", "c.csv.GZ:2 C1", "c.csv.GZ:3 C2",
		"d.csv:2 C1", "d.csv:3 C2"}
	for _, look := range []bool{false, true} {
		set, err := Find(context.Background(), Search{Paths: []string{dir}})
		if err != nil {
			t.Fatal(err)
		}
		if _, passed := names(set); !slices.Equal(passed, []string{"e.pdf.gz"}) {
			t.Errorf("passed over %q", passed)
		}
		if look {
			if err := set.Look(context.Background(), Reading{Jobs: 2, Memory: 1 << 30}); err != nil {
				t.Fatal(err)
			}
		}
		if got := scanAll(t, set, 2); !slices.Equal(got, want) {
			t.Errorf("read %q", got)
		}
	}
}

func TestStem(t *testing.T) {
	for name, want := range map[string]string{"a.csv": "a", "a.csv.gz": "a", "a.gz": "a",
		"in/a_2031-01.tsv.ZST": "in/a_2031-01", "a": "a", "a.old.csv": "a.old"} {
		if got := Stem(name); got != want {
			t.Errorf("stem of %s is %s, want %s", name, got, want)
		}
	}
}

// A source is called by its path below the root, whatever else is named and however it was found.
func TestNamesBelowARoot(t *testing.T) {
	dir := t.TempDir()
	for _, name := range []string{"in/x.csv", "in/deep/x.csv", "in/deep/y.csv", "more/x.csv"} {
		path := filepath.Join(dir, name)
		if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(path, []byte("a\n1\n"), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	for _, c := range []struct{ root, paths, want string }{
		{"", "in/deep", "x.csv y.csv"},
		{"in", "in/deep", "deep/x.csv deep/y.csv"},
		{"in", "in", "deep/x.csv deep/y.csv x.csv"},
		{"in", "in/deep/y.csv", "deep/y.csv"},
		{"in", "in/deep/*.csv", "deep/x.csv deep/y.csv"},
		{"in", "in/deep/y.csv more", "deep/y.csv x.csv"},
		{"", "in/x.csv in/deep/y.csv", "x.csv y.csv"},
		{".", "in/x.csv in/deep/y.csv", "in/deep/y.csv in/x.csv"},
		{".", "in more", "in/deep/x.csv in/deep/y.csv in/x.csv more/x.csv"},
	} {
		t.Chdir(dir)
		set, err := Find(t.Context(), Search{Paths: strings.Fields(c.paths), Recurse: true, Jobs: 1, Root: c.root})
		if err != nil {
			t.Fatal(err)
		}
		var got []string
		for _, s := range set.Sources {
			got = append(got, s.Name)
		}
		if strings.Join(got, " ") != c.want {
			t.Errorf("below %q, %s are called %q, want %q", c.root, c.paths, got, c.want)
		}
	}
	for _, c := range []struct{ paths, want string }{
		{"in", "in"}, {"in/x.csv", "in"}, {"in/deep/*.csv", "in/deep"}, {"in more", "plan"}, {"-", "plan"},
		{"", "plan"},
	} {
		if got := RootOf(strings.Fields(c.paths), "plan"); filepath.ToSlash(got) != c.want {
			t.Errorf("the root of %s is %s, want %s", c.paths, got, c.want)
		}
	}
}

// A mark of amounts is found wherever it stands: behind records of whole numbers, and behind one that ends early, which
// is filled up elsewhere.
func TestALateMark(t *testing.T) {
	for _, short := range []string{"", "y;5\n"} {
		for _, rows := range []int{3, 31, 32, 33, 400} {
			text := "code;amount;note\n" + short + strings.Repeat("x;1;\n", rows) + short + "z;1,25;\n" +
				strings.Repeat("x;2;\n", 3)
			dir := folder(t, map[string]string{"a.csv": text})
			set, err := Find(t.Context(), Search{Paths: []string{dir}, Jobs: 1})
			if err != nil {
				t.Fatal(err)
			}
			visitor := new(markVisitor)
			reading := Reading{Jobs: 1, Memory: 1 << 20}
			if err := set.Scan(t.Context(), reading, func() Visitor { return visitor }); err != nil {
				t.Fatal(err)
			}
			if visitor.mark != ',' {
				t.Errorf("behind %d records, and %q, the mark is %q", rows, short, visitor.mark)
			}
		}
	}
}

type markVisitor struct{ mark byte }

func (v *markVisitor) Batch(b *Batch) error {
	v.mark = b.Decimal
	return nil
}

func (v *markVisitor) Flush(context.Context, int) error { return nil }
