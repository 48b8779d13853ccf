package placing

import (
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"testing"

	"lastblock/core/source"

	"github.com/zeebo/xxh3"
)

// shape is what a command places: files by their place, "+" before lines that are added, and what was there before.
type shape struct {
	command string
	files   map[string]string
	before  map[string]string
	made    string // a folder that the run makes
}

var shapes = []shape{
	{"collate --out", map[string]string{"/p/all.csv": "new"}, nil, ""},
	{"collate --out --replace", map[string]string{"/p/all.csv": "new"}, map[string]string{"/p/all.csv": "old one"}, ""},
	{"collate --out --suspense", map[string]string{"/p/all.csv": "new", "/p/suspense.csv": "new too"}, nil, ""},
	{"the same --replace", map[string]string{"/p/all.csv": "new", "/p/suspense.csv": "new too"},
		map[string]string{"/p/all.csv": "old", "/p/suspense.csv": "old too"}, ""},
	{"reconcile --out --corrected --findings", map[string]string{"/p/both.csv": "new", "/p/corrected.csv": "c",
		"/q/findings.csv": "f"}, map[string]string{"/p/both.csv": "old", "/q/findings.csv": "old"}, ""},
	{"close", map[string]string{"/p/blocks/0001.json": "block", "/p/blocks/0001.csv.zst": "figures",
		"/p/results/sums.csv": "sums"}, nil, "/p/results"},
	{"close --restate", map[string]string{"/p/blocks/0002.json": "block", "/p/blocks/0002.csv.zst": "figures",
		"/p/sums.csv": "sums"}, map[string]string{"/p/sums.csv": "old sums"}, ""},
	{"report", map[string]string{"/p/pack.html": "page"}, map[string]string{"/p/pack.html": "old page"}, ""},
	{"split", map[string]string{"/p/a-1.csv": "1", "/p/a-2.csv": "2", "/p/a-3.csv": "3", "/p/control.csv": "c"}, nil,
		""},
	{"freeze", map[string]string{"/p/frozen/a.csv": "a", "/p/frozen/a.json": "list", "/p/decisions.csv": "+frozen"},
		map[string]string{"/p/decisions.csv": "decided,"}, "/p/frozen"},
	{"relocate", map[string]string{"/p/lastblock.toml": "moved", "/p/lastblock.toml.1.before": "plan",
		"/p/decisions.csv": "+relocated"}, map[string]string{"/p/lastblock.toml": "plan"}, ""},
	{"decide", map[string]string{"/p/decisions.csv": "+accepted"}, map[string]string{"/p/decisions.csv": "decided,"},
		""},
	{"decide for the first time", map[string]string{"/p/decisions.csv": "+accepted"}, nil, ""},
}

var worldFolders = []string{"/p", "/q", "/p/blocks"}

func (s *shape) world() *world {
	w := newWorld(worldFolders...)
	for path, text := range s.before {
		w.put(path, text)
	}
	return w
}

func (s *shape) places() []string {
	var all []string
	for path := range s.files {
		all = append(all, path)
	}
	slices.Sort(all)
	return all
}

// after is what a place holds when the set is in place.
func (s *shape) after(path string) string {
	if lines, ok := strings.CutPrefix(s.files[path], "+"); ok {
		return s.before[path] + lines
	}
	return s.files[path]
}

// was is what it held before, "-" for nothing.
func (s *shape) was(path string) string {
	if text, ok := s.before[path]; ok {
		return text
	}
	return "-"
}

// run places the set as a command does, with all that is behind it.
func (s *shape) run(p *process) error {
	r := New(p, p)
	var items []Item
	err := func() error {
		if err := r.At("/p"); err != nil {
			return err
		}
		for _, path := range s.places() {
			if lines, ok := strings.CutPrefix(s.files[path], "+"); ok {
				items = append(items, Item{To: path, Add: []byte(lines), Behind: int64(len(s.before[path]))})
				continue
			}
			if err := r.MakeFolder(filepath.Dir(path)); err != nil {
				return err
			}
			file, err := r.Begin(filepath.Dir(path), filepath.Base(path))
			if err != nil {
				return err
			}
			hash := xxh3.New()
			hash.WriteString(s.files[path])
			items = append(items, Item{To: path, Part: file.Name(), Size: int64(len(s.files[path])),
				Print: source.Fingerprint(hash),
				Note:  "note of " + filepath.Base(path)})
			if _, err := file.Write([]byte(s.files[path])); err != nil {
				return err
			}
		}
		return r.Place(items)
	}()
	if err != nil {
		for _, item := range items {
			if item.Part != "" {
				r.Drop(item.Part)
			}
		}
	}
	r.End()
	return err
}

// recover has another run come by in each folder.
func recoverAll(p *process) (told []Recovery) {
	r := New(p, p)
	for _, folder := range p.paths() {
		told = append(told, r.Recover(folder)...)
	}
	r.End()
	return told
}

// state says whether a world holds the set, what was there before, or neither.
func (s *shape) state(w *world) string {
	isNew, isOld := true, true
	var found []string
	for _, path := range s.places() {
		text := w.text(path)
		isNew, isOld = isNew && text == s.after(path), isOld && text == s.was(path)
		found = append(found, fmt.Sprintf("%s=%q", path, text))
	}
	switch {
	case isNew:
		return "new"
	case isOld:
		return "old"
	}
	return strings.Join(found, " ")
}

// left are the names that nobody needs.
func left(w *world) (names []string) {
	for _, path := range w.paths() {
		for name, n := range w.folders[path].names {
			if hiddenForm.MatchString(name) || strings.HasPrefix(name,
				source.MarkPrefix) || name == source.LedgerName && len(n.data) == 0 {
				names = append(names, path+"/"+name)
			}
		}
	}
	return names
}

// check says what is not as it has to be once somebody has come by.
func (s *shape) check(t *testing.T, w *world, done bool, how string) {
	t.Helper()
	state := s.state(w)
	if state != "new" && (state != "old" || done) {
		t.Fatalf("%s, %s, done: %t, the set is %s", s.command, how, done, state)
	}
	if names := left(w); len(names) > 0 {
		t.Fatalf("%s, %s: left are %v", s.command, how, names)
	}
	if w.folders[s.made] != nil && state == "old" && s.made != "" && strings.HasSuffix(how, "killed") {
		t.Fatalf("%s, %s: left is the folder %s", s.command, how, s.made)
	}
}

// most is how many calls and files a power cut may forget in every combination; of more it forgets random ones.
func most() int {
	n, err := strconv.Atoi(os.Getenv("LASTBLOCK_CUTS"))
	if err != nil {
		return 8
	}
	return n
}

// eachCut visits what power cuts may keep of n calls.
func eachCut(n int, random *rand.Rand, visit func(isKept func(int) bool, name string)) {
	if n <= most() {
		for kept := range 1 << n {
			visit(func(i int) bool { return kept>>i&1 == 1 }, fmt.Sprintf("keeping %b of %d", kept, n))
		}
		return
	}
	for range 1 << most() {
		kept := random.Perm(n)[:random.IntN(n+1)]
		visit(func(i int) bool { return slices.Contains(kept, i) }, fmt.Sprintf("keeping %v of %d", kept, n))
	}
}

// Whenever a run is killed or the power is cut, whatever the disk forgets, and whenever that happens once more to who
// comes next: there is the whole set or what was there before, and nothing else.
func TestStoppedBetweenAnyTwoCalls(t *testing.T) {
	kills, cuts := 0, 0
	for _, s := range shapes {
		random := rand.New(rand.NewPCG(38, 2031))
		whole := &process{world: s.world(), stopAt: -1}
		if err := s.run(whole); err != nil || s.state(whole.world) != "new" {
			t.Fatalf("%s: %v, %s", s.command, err, s.state(whole.world))
		}
		for _, noLink := range []bool{false, true} {
			for stop := 0; stop <= whole.calls+1; stop++ {
				stopped := func() (w *world, done bool) {
					p := &process{world: s.world(), stopAt: stop, noLink: noLink}
					err := s.run(p)
					p.dead = true
					return p.world, err == nil
				}
				how := fmt.Sprintf("stopped before call %d, without links: %t", stop, noLink)
				w, done := stopped()
				recoverAll(&process{world: w, stopAt: -1})
				s.check(t, w, done, how+", killed")
				kills++
				// who writes into one folder of the set leaves the others what they need
				for _, folder := range worldFolders {
					w, done := stopped()
					next := &process{world: w, stopAt: -1}
					r := New(next, next)
					r.Recover(folder)
					r.End()
					w.cut(func(int) bool { return true })
					recoverAll(&process{world: w, stopAt: -1})
					s.check(t, w, done, how+", killed, and somebody writes into "+folder)
					kills++
				}
				for again := 0; ; again++ {
					w, done := stopped()
					next := &process{world: w, stopAt: again}
					recoverAll(next)
					ended := !next.dead
					next.dead = true
					w.cut(func(int) bool { return again%2 == 0 })
					recoverAll(&process{world: w, stopAt: -1})
					s.check(t, w, done, fmt.Sprintf("%s, and who comes next before call %d", how, again))
					cuts++
					if ended {
						break
					}
				}
				w, _ = stopped()
				eachCut(w.unflushed(), random, func(isKept func(int) bool, name string) {
					w, done := stopped()
					w.cut(isKept)
					recoverAll(&process{world: w, stopAt: -1})
					s.check(t, w, done, how+", the power cut, "+name)
					cuts++
				})
			}
		}
	}
	t.Logf("%d kills, %d power cuts", kills, cuts)
}

// Whichever call fails, once or from then on, the set is in place or what was there before, at once or as soon as
// somebody comes by.
func TestAnyCallFails(t *testing.T) {
	calls := 0
	for _, s := range shapes {
		for _, fails := range []string{"", "all", "renames"} {
			for n := 0; ; n++ {
				p := &process{world: s.world(), stopAt: -1, failAt: n, failed: syscall.ENOSPC, fails: fails}
				err := s.run(p)
				how := fmt.Sprintf("call %d fails, and behind it %q", n, fails)
				if p.calls <= n {
					break
				}
				calls++
				state := s.state(p.world)
				if fails == "" && (state != "new" && err == nil || state != "old" && err != nil) &&
					len(s.files) > 1 {
					t.Fatalf("%s, %s, error %v: the set is %s", s.command, how, err, state)
				}
				p.dead = true
				recoverAll(&process{world: p.world, stopAt: -1})
				s.check(t, p.world, err == nil, how)
			}
		}
	}
	t.Logf("%d failed calls", calls)
}

// What somebody has changed since a run was ended stays, with what was to replace it beside it, and it is told.
func TestAHandsWorkStays(t *testing.T) {
	for _, s := range shapes {
		whole := &process{world: s.world(), stopAt: -1}
		if err := s.run(whole); err != nil {
			t.Fatal(err)
		}
		for stop := range whole.calls + 1 {
			for _, place := range s.places() {
				w := s.world()
				p := &process{world: w, stopAt: stop}
				s.run(p)
				p.dead = true
				if w.folders[filepath.Dir(place)] == nil {
					continue
				}
				w.put(place, "by hand")
				told := recoverAll(&process{world: w, stopAt: -1})
				if got := w.text(place); got != "by hand" {
					t.Fatalf("%s, stopped before call %d: %s is %q", s.command, stop, place, got)
				}
				if names := left(w); len(names) > 0 {
					t.Fatalf("%s, stopped before call %d: left are %v", s.command, stop, names)
				}
				for _, r := range told {
					for _, kept := range r.Kept {
						if kept.Place != place || !strings.Contains(r.String(), place+" was changed since, and stays") {
							t.Fatalf("%s: it says %s", s.command, r.String())
						}
						lines := strings.TrimPrefix(s.files[place], "+")
						if got := w.text(kept.Beside); got != lines && got != s.was(place) {
							t.Fatalf("%s: %s holds %q", s.command, kept.Beside, got)
						}
					}
				}
			}
		}
	}
}

// A set that was settled is finished where its folder is mounted elsewhere; one of several folders waits for all.
func TestAFolderThatWasMoved(t *testing.T) {
	s := shapes[slices.IndexFunc(shapes, func(s shape) bool { return s.command == "the same --replace" })]
	several := shapes[slices.IndexFunc(shapes, func(s shape) bool { return strings.HasPrefix(s.command, "reconcile") })]
	for _, s := range []shape{s, several} {
		finished := 0
		whole := &process{world: s.world(), stopAt: -1}
		if err := s.run(whole); err != nil {
			t.Fatal(err)
		}
		for stop := range whole.calls + 1 {
			w := s.world()
			p := &process{world: w, stopAt: stop}
			s.run(p)
			p.dead = true
			if s.state(w) == "new" {
				break
			}
			w.move("/p", "/elsewhere")
			told := recoverAll(&process{world: w, stopAt: -1})
			w.move("/elsewhere", "/p")
			for _, r := range told {
				if r.Waits == "" && r.Err == nil && !r.Undone {
					finished++
				}
			}
			recoverAll(&process{world: w, stopAt: -1})
			s.check(t, w, false, fmt.Sprintf("stopped before call %d, in a folder that was moved", stop))
		}
		if finished == 0 {
			t.Errorf("%s: no set was finished elsewhere", s.command)
		}
	}
}

// A run that is at work keeps what it has, whoever comes by.
func TestWhoIsAtWorkIsLeftAlone(t *testing.T) {
	w := newWorld(worldFolders...)
	w.put("/p/.left.csv.00000000000000ff.part", "of a run that has ended")
	p := &process{world: w, stopAt: -1}
	r := New(p, p)
	file, err := r.Begin("/p", "all.csv")
	if err != nil {
		t.Fatal(err)
	}
	if told := recoverAll(&process{world: w, stopAt: -1}); len(told) > 0 {
		t.Errorf("it says %v", told[0].String())
	}
	if w.at(file.Name()) == nil || w.at("/p/.left.csv.00000000000000ff.part") != nil {
		t.Errorf("there are %v", left(w))
	}
}

// What a journal may not say is not believed, and nothing of it is done.
func TestAJournalOfAStranger(t *testing.T) {
	const set = "00000000000000aa"
	first := `{"version":1,"set":"` + set + `","journal":1,"of":1,"begun":"2031-02-03T10:00:00Z"}`
	part := `.x.csv.` + set + `.part`
	good := `{"part":"` + part + `","to":"x.csv","size":4}`
	for rule, lines := range map[string][]string{
		"a place above":            {first, `{"part":"` + part + `","to":"../secret","size":4}`},
		"an absolute place":        {first, `{"part":"` + part + `","to":"/secret","size":4}`},
		"a place below":            {first, `{"part":"` + part + `","to":"blocks/x","size":4}`},
		"a part that is none":      {first, `{"part":"mine.txt","to":"x.csv","size":4}`},
		"a part above":             {first, `{"part":"../` + part + `","to":"x.csv","size":4}`},
		"a part of another set":    {first, `{"part":".x.csv.00000000000000bb.part","to":"x.csv","size":4}`},
		"another place for an old": {first, `{"part":"` + part + `","to":"x.csv","size":4,"old":"/secret"}`},
		"lines that are none":      {first, `{"to":"x.csv","size":0}`},
		"a mark as a place":        {first, `{"part":"` + part + `","to":".lastblock-placing.00","size":4}`},
		"another set":              {strings.Replace(first, set, "00000000000000bb", 1), good},
		"a version to come":        {strings.Replace(first, `"version":1`, `"version":2`, 1), good},
		"no moves":                 {first},
		"an earlier version":       {`{"from":"/p/` + part + `","to":"/secret"}`},
	} {
		w := newWorld(worldFolders...)
		w.put("/secret", "of the user")
		w.put("/p/mine.txt", "mine")
		w.put("/p/"+part, "evil")
		w.put("/p/"+source.MarkPrefix+set, strings.Join(append(lines, ""), "\n")+journalEnd)
		told := recoverAll(&process{world: w, stopAt: -1})
		if len(told) != 1 || !strings.Contains(told[0].String(), "nothing of it was done") {
			t.Errorf("%s: it says %v", rule, told)
		}
		if w.text("/secret") != "of the user" || w.text("/p/mine.txt") != "mine" || w.text("/p/x.csv") != "-" {
			t.Errorf("%s: something was done", rule)
		}
	}
	w := newWorld(worldFolders...)
	w.put("/p/"+part, "good")
	w.put("/p/"+source.MarkPrefix+set, first+"\n"+good+"\n"+journalEnd)
	if told := recoverAll(&process{world: w, stopAt: -1}); len(told) != 1 || w.text("/p/x.csv") != "good" {
		t.Errorf("one that says nothing else: %v, %q", told, w.text("/p/x.csv"))
	}
	for rule, plant := range map[string]func(w *world){
		"a link as a part": func(w *world) {
			w.put("/p/"+part, "good")
			w.at("/p/" + part).kind = os.ModeSymlink
		},
		"a link as a place of lines": func(w *world) {
			w.put("/p/"+source.MarkPrefix+set, first+"\n"+`{"to":"x.csv","size":4,"add":"ZXZpbA=="}`+"\n"+journalEnd)
			w.put("/p/x.csv", "")
			w.at("/p/x.csv").kind = os.ModeSymlink
		},
	} {
		w := newWorld(worldFolders...)
		w.put("/p/"+source.MarkPrefix+set, first+"\n"+good+"\n"+journalEnd)
		plant(w)
		recoverAll(&process{world: w, stopAt: -1})
		if text := w.text("/p/x.csv"); text != "-" && text != "" {
			t.Errorf("%s: the place holds %q", rule, text)
		}
	}
}

// A long name takes a hidden one that a system takes as well.
func TestALongName(t *testing.T) {
	name := strings.Repeat("ä", 126) + ".c"
	w := newWorld("/p")
	p := &process{world: w, stopAt: -1}
	r := New(p, p)
	file, err := r.Begin("/p", name)
	if err != nil || len(filepath.Base(file.Name())) > 255 {
		t.Fatalf("%v, %d bytes", err, len(filepath.Base(file.Name())))
	}
	if err := r.Place([]Item{{To: "/p/" + name, Part: file.Name()}}); err != nil || w.at("/p/"+name) == nil {
		t.Error(err)
	}
}

// Notes are only added, each once, since a file may have been renamed before another one took its name; and a torn one
// does no harm to the next.
func TestNotesAreAdded(t *testing.T) {
	w := newWorld("/p")
	p := &process{world: w, stopAt: -1}
	place := func(note string) {
		t.Helper()
		r := New(p, p)
		defer r.End()
		file, err := r.Begin("/p", "all.csv")
		if err == nil {
			err = r.Place([]Item{{To: "/p/all.csv", Part: file.Name(), Note: note}})
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	place("5 f5 all.csv")
	place("6 f6 all.csv")
	place("5 f5 all.csv")
	w.put("/p/"+source.LedgerName, w.text("/p/"+source.LedgerName)+"7 f")
	place("8 f8 all.csv")
	if got := w.text("/p/" + source.LedgerName); got != "5 f5 all.csv\n6 f6 all.csv\n7 f\n8 f8 all.csv\n" {
		t.Errorf("notes are %q", got)
	}
}

// Lines are added by whoever comes next when nobody else is about to add some: the file is locked meanwhile.
func TestLinesWaitForWhoeverDecides(t *testing.T) {
	s := shapes[slices.IndexFunc(shapes, func(s shape) bool { return s.command == "decide" })]
	whole := &process{world: s.world(), stopAt: -1}
	if err := s.run(whole); err != nil {
		t.Fatal(err)
	}
	finished := 0
	for stop := range whole.calls {
		w := s.world()
		p := &process{world: w, stopAt: stop}
		s.run(p)
		p.dead = true
		decides := &process{world: w, stopAt: -1}
		w.at("/p/decisions.csv").holder = decides // who has read the file, and is about to add to it
		before := w.text("/p/decisions.csv")
		next := &process{world: w, stopAt: -1}
		told := recoverAll(next)
		next.dead = true
		if got := w.text("/p/decisions.csv"); got != before {
			t.Fatalf("stopped before call %d: the file is %q while somebody has it", stop, got)
		}
		decides.dead = true
		for _, r := range told {
			if r.Err != nil {
				finished++
			}
		}
		recoverAll(&process{world: w, stopAt: -1})
		s.check(t, w, false, fmt.Sprintf("stopped before call %d, beside who decides", stop))
	}
	if finished == 0 {
		t.Error("no set had to wait")
	}
}
