package cli

import (
	"fmt"
	"maps"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"lastblock/core/source"
)

// What happens to files, forms and the plan between two closes of a random month.

// disturb does something to a file of an earlier period, as happens between two closes.
func (w *world) disturb(period int) {
	w.t.Helper()
	var open []*sent
	for _, s := range w.files {
		if s.period < period && !w.frozen[w.entities[s.entity]] {
			open = append(open, s)
		}
	}
	if len(open) == 0 {
		return
	}
	s := open[w.r.IntN(len(open))]
	path := filepath.Join(w.dir, w.in, s.stem+".csv")
	switch w.r.IntN(5) {
	case 0: // changed in place, with its time put back
		if s.archive != "" {
			break
		}
		info, err := os.Stat(path)
		if err != nil {
			w.t.Fatal(err)
		}
		r := s.records[len(s.records)-1]
		r.cents = r.cents/1000*1000 + (r.cents+100)%1000
		w.put(s.period)
		if err := os.Chtimes(path, info.ModTime(), info.ModTime()); err != nil {
			w.t.Fatal(err)
		}
	case 1: // an archive is packed again, or a record comes late
		w.next++
		s.records = append(s.records, &sentRecord{doc: fmt.Sprintf("D%05d", w.next), account: "4200", text: "fare",
			cents: 777})
		w.put(s.period)
	case 2: // gone
		if s.archive != "" {
			break
		}
		for _, name := range []string{path, filepath.Join(w.dir, w.in, s.stem+".ctl")} {
			if err := os.Remove(name); err != nil {
				w.t.Fatal(err)
			}
		}
		w.files = slices.DeleteFunc(w.files, func(o *sent) bool { return o == s })
	case 3: // renamed, to another spelling of the same
		if s.archive != "" || slices.ContainsFunc(s.records, func(r *sentRecord) bool { return r.left }) {
			break
		}
		stem := w.entities[s.entity] + "_" + fmt.Sprintf("2031_%02d", s.period)
		stem = strings.Replace(stem, "2031_", "2031", 1)
		if stem == s.stem {
			break
		}
		for _, ending := range []string{".csv", ".ctl"} {
			if err := os.Rename(filepath.Join(w.dir, w.in, s.stem+ending), filepath.Join(w.dir, w.in,
				stem+ending)); err != nil {
				w.t.Fatal(err)
			}
		}
		for i := range w.blocks { // it is called otherwise from now on, and is the same in every bridge
			for result, given := range w.blocks[i].given {
				if by := given[s.name()]; by != nil && result != "grid" { // whose forms may be called the same
					given[stem+".csv"] = by
					delete(given, s.name())
				}
			}
		}
		w.renameLines(s.name(), stem+".csv")
		s.stem = stem
	case 4: // a form is changed
		for _, f := range w.forms {
			if f.period == s.period && f.entity == s.entity {
				f.cells[0][0] += 5
				f.changed = true
				w.formChanged = s.period
			}
		}
		w.put(s.period)
	}
}

// renameLines has records be found under the new name of their source: trace calls a source as it is called now only
// where it reads it now, and otherwise as the block has it.
func (w *world) renameLines(was, is string) {
	for i := range w.blocks {
		for key, used := range maps.Clone(w.blocks[i].lines) {
			if rest, ok := strings.CutPrefix(key, was+" "); ok {
				w.blocks[i].lines[is+" "+rest] = used
			}
		}
	}
}

// freeze freezes an entity whose files are as they were sealed, and takes them away.
func (w *world) freeze() {
	w.t.Helper()
	entity := w.r.IntN(len(w.entities))
	if w.frozen[w.entities[entity]] || slices.ContainsFunc(w.files, func(s *sent) bool {
		return s.entity == entity && s.archive != ""
	}) || !slices.ContainsFunc(w.files, func(s *sent) bool { return s.entity == entity }) {
		return
	}
	if w.ofPeriod && slices.ContainsFunc(w.forms, func(f *sentForm) bool { return f.entity == entity && f.changed }) {
		return // no close of a later period reads it
	}
	w.must("freeze", strings.ToUpper(w.entities[entity]), "--reason", "sold", "--user", "anna")
	for _, s := range w.files {
		if s.entity == entity {
			os.Remove(filepath.Join(w.dir, w.in, s.stem+".csv"))
			os.Remove(filepath.Join(w.dir, w.in, s.stem+".ctl"))
		}
	}
	for _, f := range w.forms {
		if f.entity == entity {
			os.Remove(filepath.Join(w.dir, "forms", f.stem+".csv"))
		}
	}
	w.frozen[w.entities[entity]] = true
}

// relocate moves all sources to another folder.
func (w *world) relocate() {
	w.t.Helper()
	to := fmt.Sprintf("in%d", len(w.blocks))
	if err := os.Rename(filepath.Join(w.dir, w.in), filepath.Join(w.dir, to)); err != nil {
		w.t.Fatal(err)
	}
	w.must("relocate", filepath.Join(w.dir, w.in), filepath.Join(w.dir, to))
	w.in = to
}

// editPlan adds one more result to the plan, or takes it away again.
func (w *world) editPlan() {
	w.t.Helper()
	const more = "[[rollup]]\nname = \"more\"\nby = [\"account\", \"entity\"]\nsum = \"amount\"\n"
	file := filepath.Join(w.dir, "lastblock.toml")
	data, err := os.ReadFile(file)
	if err != nil {
		w.t.Fatal(err)
	}
	text, had := strings.CutSuffix(string(data), more)
	if !had {
		text += more
	}
	w.write("lastblock.toml", text)
}

// killed has a copy of the month be closed, or an entity in it be frozen, by a run that is killed at some moment.
// Whoever comes next finds the chain of before with its results or the new one with its, and nothing half made.
func (w *world) killed(period int) {
	w.t.Helper()
	dir := filepath.Join(w.t.TempDir(), "copy")
	if err := os.CopyFS(dir, os.DirFS(w.dir)); err != nil {
		w.t.Fatal(err)
	}
	args := []string{"close", "--quiet", "--user", "anna", "--period", periodName(period), "--anyway", "--reason",
		"now"}
	if w.chance(30) && len(w.blocks) > 0 {
		args = []string{"freeze", w.entities[w.r.IntN(len(w.entities))], "--reason", "sold", "--user", "anna"}
	}
	cmd := exec.Command(builtProgram, append(args, "--plan", "lastblock.toml")...)
	cmd.Dir, cmd.Env = dir, append(os.Environ(), "TMPDIR="+w.t.TempDir())
	if err := cmd.Start(); err != nil {
		w.t.Fatal(err)
	}
	time.Sleep(time.Duration(w.r.IntN(200)) * time.Millisecond)
	_ = cmd.Process.Kill() // it may have ended
	_ = cmd.Wait()
	stdout, stderr, code := runProgram(w.t, dir, "", "verify", "--plan", "lastblock.toml")
	if code != ExitDone {
		w.t.Fatalf("seed %d: after %v was killed verify ends with %d\n%s%s", w.seed, args, code, stdout, stderr)
	}
	err := filepath.WalkDir(dir, func(path string, entry os.DirEntry, err error) error {
		if strings.HasPrefix(entry.Name(), source.MarkPrefix) || strings.HasSuffix(entry.Name(), ".part") {
			w.t.Errorf("seed %d: after %v was killed is left %s", w.seed, args, path)
		}
		return err
	})
	if err != nil {
		w.t.Fatal(err)
	}
}
