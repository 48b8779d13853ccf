package cli

import (
	"bytes"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"
)

// world is a year of month ends of which the test itself knows what everything comes to, in cents.
type world struct {
	t    *testing.T
	r    *rand.Rand
	dir  string
	in   string // the folder of the sources
	seed uint64

	entities []string
	periods  int
	files    []*sent
	forms    []*sentForm
	frozen   map[string]bool
	blocks   []sealedMonth
	ofPeriod bool // the grid is of one period
	// formChanged is the period of a form that was changed since it was closed, 0 for none.
	formChanged int
	roster      bool
	reads       string // what [read] says besides
	next        int    // number of a document
}

// sent is a file that an entity has sent.
type sent struct {
	entity, period int // period from 1
	stem           string
	archive        string // "" for a file of its own
	comma          bool
	records        []*sentRecord
}

type sentRecord struct {
	doc, account, text string
	cents              int64
	bad                bool // its amount is none
	left               bool // somebody has decided to leave it out
}

type sentForm struct {
	entity, period int
	stem           string
	cells          [2][2]int64
	changed        bool // since its own period was closed, so that it may not be as a block has sealed it
}

// sealedMonth is what a close has sealed: what each source gave to each group of a result.
type sealedMonth struct {
	period int
	given  map[string]map[string]map[string]int64 // result, source, group
	lines  map[string]bool                        // source, line and document of each record that was used
}

func periodName(p int) string { return fmt.Sprintf("2031-%02d", p) }

// run runs a command within the test.
func (w *world) run(args ...string) (stdout, stderr string, code int) {
	w.t.Helper()
	var out, complaint bytes.Buffer
	code = Run(w.t.Context(), append(args, "--plan", filepath.Join(w.dir, "lastblock.toml")), strings.NewReader(""),
		&out,
		&complaint)
	return out.String(), complaint.String(), code
}

// must is run of a command that is to end with 0.
func (w *world) must(args ...string) string {
	w.t.Helper()
	stdout, stderr, code := w.run(args...)
	if code != ExitDone {
		w.t.Fatalf("seed %d: %v ends with %d\n%s%s", w.seed, args, code, stdout, stderr)
	}
	return stdout
}

func (w *world) decode(text string, into any) {
	w.t.Helper()
	if err := json.Unmarshal([]byte(text), into); err != nil {
		w.t.Fatalf("seed %d: %v\n%s", w.seed, err, text)
	}
}

func (w *world) chance(percent int) bool { return w.r.IntN(100) < percent }

// spelt is a name as a branch may write it.
func (w *world) spelt(entity int) string {
	name := w.entities[entity]
	switch w.r.IntN(6) {
	case 0:
		return strings.ToUpper(name)
	case 1:
		return strings.ToUpper(name[:1]) + name[1:]
	}
	return name
}

func (w *world) speltPeriod(p int) string {
	switch w.r.IntN(5) {
	case 0:
		return fmt.Sprintf("2031%02d", p)
	case 1:
		return fmt.Sprintf("2031.%02d", p)
	}
	return periodName(p)
}

func newWorld(t *testing.T, seed uint64) *world {
	w := &world{t: t, seed: seed, r: rand.New(rand.NewPCG(seed, 2031)), dir: t.TempDir(), in: "in",
		frozen: make(map[string]bool)}
	names := []string{"alder", "birch", "cedar", "elm", "fir", "hazel", "larch", "maple", "oak", "pine", "rowan",
		"zürich"}
	w.r.Shuffle(len(names), func(i, j int) { names[i], names[j] = names[j], names[i] })
	w.entities, w.periods = names[:3+w.r.IntN(10)], 2+w.r.IntN(5)
	w.ofPeriod, w.roster = w.chance(50), w.chance(60)
	if w.chance(50) {
		w.reads += "as = [\"amount=amount\"]\n"
	}
	if w.chance(50) {
		w.reads += "where = 'text != \"skip\"'\n"
	}
	for _, folder := range []string{"in", "forms"} {
		if err := os.Mkdir(filepath.Join(w.dir, folder), 0o755); err != nil {
			t.Fatal(err)
		}
	}
	w.write("lastblock.toml", w.plan())
	w.write("roster.csv", "entity\n"+strings.Join(w.entities, "\n")+"\n")
	return w
}

func (w *world) write(name, text string) {
	w.t.Helper()
	if err := os.WriteFile(filepath.Join(w.dir, name), []byte(text), 0o644); err != nil {
		w.t.Fatal(err)
	}
}

func (w *world) plan() string {
	of, roster := "all", ""
	if w.ofPeriod {
		of = "period"
	}
	if w.roster {
		roster = "roster = \"roster.csv\"\n"
	}
	return `version = 1
[read]
paths = ["in"]
name = "{entity}_{period}"
skip = ["*.ctl"]
` + w.reads + `[tieout]
total = "amount"
declared = "{source}.ctl"
` + roster + `[doubles]
[[rollup]]
name = "plain"
by = "entity"
sum = "amount"
out = "results/{period}/plain.csv"
[[rollup]]
name = "made"
by = ["account", "period"]
sum = "twice"
make = ["twice = amount * 2"]
out = "results/{period}/made.csv"
[[rollup]]
name = "some"
by = "entity"
sum = "amount"
where = 'account != "4100"'
drop = ["text"]
out = "results/{period}/some.csv"
[[overlay]]
name = "grid"
paths = ["forms"]
of = "` + of + `"
out = "results/{period}/grid.csv"
[close]
retain = true
`
}

// text is a file as its sender writes it.
func (s *sent) text() string {
	delimiter, mark := ",", "."
	if s.comma {
		delimiter, mark = ";", ","
	}
	var b strings.Builder
	fmt.Fprintln(&b, strings.Join([]string{"doc", "account", "amount", "text"}, delimiter))
	for _, r := range s.records {
		amount := "n/a"
		if !r.bad {
			amount = strings.Replace(cents(r.cents), ".", mark, 1)
		}
		fmt.Fprintln(&b, strings.Join([]string{r.doc, r.account, amount, r.text}, delimiter))
	}
	return b.String()
}

func cents(c int64) string {
	sign := ""
	if c < 0 {
		sign, c = "-", -c
	}
	return fmt.Sprintf("%s%d.%02d", sign, c/100, c%100)
}

// name is what results call a source.
func (s *sent) name() string {
	if s.archive != "" {
		return s.archive + "/" + s.stem + ".csv"
	}
	return s.stem + ".csv"
}

// isWhere tells whether the plan's condition leaves a record out.
func (w *world) isWhere(r *sentRecord) bool {
	return strings.Contains(w.reads, "where") && r.text == "skip"
}

// isCounted tells whether a record is used.
func (w *world) isCounted(r *sentRecord) bool { return !r.bad && !r.left && !w.isWhere(r) }

// put writes all files of a period anew, and what each of all sources declares.
func (w *world) put(period int) {
	w.t.Helper()
	archives := make(map[string][]string)
	for _, s := range w.files {
		if w.frozen[w.entities[s.entity]] {
			continue
		}
		if s.period == period {
			if s.archive == "" {
				w.write(filepath.Join(w.in, s.stem+".csv"), s.text())
			} else {
				archives[s.archive] = append(archives[s.archive], s.stem+".csv", s.text())
			}
		}
		rows, sum := 0, int64(0)
		for _, r := range s.records {
			if !r.left {
				rows++
			}
			if !r.left && !r.bad {
				sum += r.cents
			}
		}
		w.write(filepath.Join(w.in, s.stem+".ctl"), fmt.Sprintf("rows,%d\namount,%s\n", rows, cents(sum)))
	}
	for name, entries := range archives {
		w.write(filepath.Join(w.in, name), zipOf(w.t, entries...))
	}
	for _, f := range w.forms {
		if f.period == period && !w.frozen[w.entities[f.entity]] {
			c := f.cells
			w.write(filepath.Join("forms", f.stem+".csv"),
				fmt.Sprintf("line,q1,q2,year\nwages,%d,%d,%d\nrent,%d,%d,%d\n"+
					"total,%d,%d,%d\n", c[0][0], c[0][1], c[0][0]+c[0][1], c[1][0], c[1][1], c[1][0]+c[1][1],
					c[0][0]+c[1][0],
					c[0][1]+c[1][1], c[0][0]+c[0][1]+c[1][0]+c[1][1]))
		}
	}
}

// send has the entities send their files of a period.
func (w *world) send(period int) {
	archive := ""
	for i := range w.entities {
		if w.frozen[w.entities[i]] {
			continue
		}
		s := &sent{entity: i, period: period, stem: w.spelt(i) + "_" + w.speltPeriod(period), comma: w.chance(40)}
		for range 6 + w.r.IntN(6) {
			w.next++
			r := &sentRecord{doc: fmt.Sprintf("D%05d", w.next), account: []string{"4000", "4100", "4200"}[w.r.IntN(3)],
				text: []string{"pass", "skip", "fare"}[w.r.IntN(3)], cents: int64(w.r.IntN(900_000)) - 200_000}
			s.records = append(s.records, r)
		}
		if w.chance(25) {
			s.records[0].bad = true
		}
		if w.chance(25) {
			twice := *s.records[1]
			s.records = slices.Insert(s.records, 2, &twice)
		}
		if w.chance(30) {
			archive = fmt.Sprintf("pack%d.zip", period)
			s.archive = archive
		}
		w.files = append(w.files, s)
		f := &sentForm{entity: i, period: period, stem: w.spelt(i) + "_" + w.speltPeriod(period)}
		for k := range f.cells {
			for j := range f.cells[k] {
				f.cells[k][j] = int64(10 + w.r.IntN(5000))
			}
		}
		w.forms = append(w.forms, f)
	}
	w.put(period)
}

// given is what each source up to a period gives to each group of each result.
func (w *world) given(period int) map[string]map[string]map[string]int64 {
	all := map[string]map[string]map[string]int64{"plain": {}, "made": {}, "some": {}, "grid": {}}
	add := func(result, source, group string, by int64) {
		if all[result][source] == nil {
			all[result][source] = make(map[string]int64)
		}
		all[result][source][group] += by
	}
	for _, s := range w.files {
		for _, r := range s.records {
			if s.period > period || !w.isCounted(r) {
				continue
			}
			add("plain", s.name(), w.entities[s.entity], r.cents)
			add("made", s.name(), r.account+" "+periodName(s.period), 2*r.cents)
			if r.account != "4100" {
				add("some", s.name(), w.entities[s.entity], r.cents)
			}
		}
	}
	for _, f := range w.forms {
		if f.period > period || w.ofPeriod && f.period != period {
			continue
		}
		for k, row := range []string{"wages", "rent"} {
			for j, column := range []string{"q1", "q2"} {
				add("grid", f.stem+".csv", row+" "+column, 100*f.cells[k][j])
			}
		}
	}
	return all
}

// groups are what the groups of a result come to.
func groups(given map[string]map[string]int64) map[string]int64 {
	sums := make(map[string]int64)
	for _, by := range given {
		for group, value := range by {
			sums[group] += value
		}
	}
	return sums
}

func total(given map[string]map[string]int64) (sum int64) {
	for _, value := range groups(given) {
		sum += value
	}
	return sum
}

// decideDoubles leaves the second of each two records out.
func (w *world) decideDoubles() {
	w.t.Helper()
	stdout, stderr, code := w.run("doubles", "--json", "--quiet")
	if code == ExitNotDone {
		w.t.Fatalf("seed %d: doubles: %s", w.seed, stderr)
	}
	var found struct {
		Findings []struct {
			ID, Kind string
			Places   []struct {
				Source string
				Line   int
			}
		}
	}
	w.decode(stdout, &found)
	for _, f := range found.Findings {
		if f.Kind != "same-record" {
			continue
		}
		w.must("decide", f.ID, "--drop", "B", "--reason", "twice", "--user", "anna", "--yes")
		for _, s := range w.files {
			if b := f.Places[1]; s.name() == b.Source {
				s.records[b.Line-2].left = true
			}
		}
	}
	for p := range w.periods { // what is declared is without them
		w.put(p + 1)
	}
}

// close closes a period, accepts what is known to have changed, and checks all that was sealed.
func (w *world) close(period int, more ...string) {
	w.t.Helper()
	args := append([]string{"close", "--quiet", "--json", "--user", "anna", "--period", periodName(period)}, more...)
	stdout, stderr, code := w.run(args...)
	if code == ExitStop {
		w.run("decide", "--kind", "closed-period-changed,not-filed", "--accept", "--reason", "known", "--user", "anna",
			"--yes")
		stdout, stderr, code = w.run(args...)
	}
	var o struct {
		Verdict string
		Bridges []bridgeOf
	}
	if code != ExitDone {
		w.t.Fatalf("seed %d: the close of %s ends with %d\n%s%s", w.seed, periodName(period), code, stdout, stderr)
	}
	w.decode(stdout, &o)
	month := sealedMonth{period: period, given: w.given(period), lines: make(map[string]bool)}
	for _, s := range w.files {
		for i, r := range s.records {
			month.lines[fmt.Sprint(s.name(), " ", i+2, " ", r.doc)] = w.isCounted(r)
		}
	}
	since := w.since(period)
	w.blocks = append(w.blocks, month)
	w.checkResults(month)
	if since >= 0 {
		w.checkBridges(o.Bridges, w.blocks[since], month)
	}
	w.checkTrace()
	w.checkHistory()
	w.checkStands()
	want := ExitDone
	if len(more) > 0 && w.ofPeriod && w.formChanged > 0 && w.formChanged < period {
		want = ExitStop // a restatement of another month neither uses this form nor asks for it
	} else if len(more) == 0 || w.formChanged == period {
		w.formChanged = 0
	}
	if stdout, _, code := w.run("verify", "--sources", "--json"); code != want {
		w.t.Fatalf("seed %d: verify after the close of %s ends with %d, want %d\n%s", w.seed, periodName(period), code,
			want, stdout)
	}
}

// since is the place of the block that a close of a period is compared with, -1 for none.
func (w *world) since(period int) int {
	at := -1
	for i := range w.blocks {
		p := w.blocks[i].period
		if p <= period && (at < 0 || p >= w.blocks[at].period) {
			at = i
		}
	}
	return at
}

// live lives through all months.
func (w *world) live() {
	for period := 1; period <= w.periods; period++ {
		w.send(period)
		if period > 1 && w.chance(60) {
			w.disturb(period)
		}
		if w.chance(80) {
			w.decideDoubles()
		}
		if w.chance(20) {
			w.editPlan()
		}
		if w.chance(40) {
			w.killed(period)
		}
		if period > 1 && w.chance(30) { // later months' files lie in the folder by then
			w.close(period-1, "--restate", "--reason", "late")
		}
		w.close(period)
		if w.chance(25) && period < w.periods {
			w.freeze()
		}
		if w.chance(15) {
			w.relocate()
		}
	}
}

// Months are made at random, with everything that can come together, closed by the program, and recomputed here. With
// LASTBLOCK_MONTHS=60s in the environment more of them are made for so long, from a seed that is printed.
func TestMonthsAtRandom(t *testing.T) {
	t.Setenv("XDG_CACHE_HOME", t.TempDir())
	for seed := range uint64(6) {
		newWorld(t, seed).live()
	}
	long, err := time.ParseDuration(os.Getenv("LASTBLOCK_MONTHS"))
	if err != nil {
		return
	}
	seed := uint64(time.Now().UnixNano())
	t.Logf("the first seed is %d", seed)
	n := 0
	for begun := time.Now(); time.Since(begun) < long; n++ {
		newWorld(t, seed+uint64(n)).live()
	}
	t.Logf("%d years of months from it", n)
}
