package month

import (
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"lastblock/core/finding"
	"lastblock/core/month/plan"
	"lastblock/core/option"
	"lastblock/core/source"
	"lastblock/core/value/nearest"
)

// The keys of a plan that are no options.
const (
	pathsKey = "paths" // of read, and of results with sources of their own
	partsKey = "parts" // of a shape: several files for one entity and period are parts of one filing
)

// Plan is a month end as it is written down, each table of which was checked.
type Plan struct {
	parsed *plan.Plan
	notes  []string
}

// ReadPlan reads a plan and checks all of it, the tables of all tasks, so that a slip shows at
// once. The error is a *plan.Error, or says why there is no plan.
func ReadPlan(path string) (*Plan, error) {
	const advice = "'lastblock draft DIR ⟨out⟩ lastblock.toml' writes one for what lies in a folder"
	data, err := os.ReadFile(path)
	switch info, statErr := os.Stat(path); {
	case errors.Is(err, fs.ErrNotExist):
		return nil, option.Errorf("plan", "there is no file %s; %s", path, advice)
	case statErr == nil && info.IsDir():
		return nil, option.Errorf("plan", "%s is a folder; name the plan in it, as %s", path,
			filepath.Join(path, plan.Name))
	case err != nil:
		return nil, option.Errorf("plan", "%w", err)
	}
	parsed, err := plan.Parse(path, data)
	if err != nil && !strings.EqualFold(filepath.Ext(path), ".toml") {
		return nil, option.Errorf("plan", "%s is no plan, which is written in TOML; %s\n%w", path, advice, err)
	}
	if err != nil {
		return nil, err
	}
	p := &Plan{parsed: parsed}
	return p, p.check()
}

// check makes sure that every table is a task's and every key an option of it, with a value of
// the kind that the option takes.
func (p *Plan) check() error {
	reading := newReading()
	if err := p.checkTable(&p.parsed.Read, reading.Options(), pathsKey); err != nil {
		return err
	}
	for i := range p.parsed.Shapes {
		manner := new(source.MannerRequest)
		if err := p.checkTable(&p.parsed.Shapes[i], manner.Options(), plan.MatchKey, partsKey); err != nil {
			return err
		}
	}
	known := map[string]func(*plan.Table) error{severityTable: p.checkSeverities}
	for _, k := range kinds {
		known[k.make().Name()] = func(table *plan.Table) error {
			if table.Name == closeTable {
				return p.checkClose(table, k)
			}
			return p.checkTask(table, k)
		}
	}
	for i := range p.parsed.Commands {
		table := &p.parsed.Commands[i]
		check, ok := known[table.Name]
		if !ok {
			names := slices.Sorted(maps.Keys(known))
			return p.parsed.Fail(table.Place, "%v", nearest.Unknown("table", table.Name, append(names, plan.ReadTable)))
		}
		if err := check(table); err != nil {
			return err
		}
	}
	return nil
}

// checkTask checks a table of a command, of which there may be several where each makes a result.
func (p *Plan) checkTask(table *plan.Table, k kind) error {
	t := k.make()
	if table.Several && !k.several {
		return p.parsed.Fail(table.Place, "there is one table %s, written [%s]", table.Name, table.Name)
	}
	var others []string
	if k.several {
		others = append(others, resultKey)
		if k.own {
			others = append(others, pathsKey)
		}
		if err := p.checkName(table); err != nil {
			return err
		}
	}
	if k.shared {
		reading, own := t.Sources().Options(), t.Options()
		for i := range table.Entries {
			e := &table.Entries[i]
			o := reading.Find(e.Key)
			if o == nil || own.Find(e.Key) != nil || o.PerResult || o.OneRun || slices.Contains(others, e.Key) ||
				e.Key == onlyWord && table.Name == NewReconcile().Name() {
				continue
			}
			return p.parsed.Fail(e.Place, "%s says how sources are read, which is the same for all that is made of "+
				"them; write it into [read] or a [[read.shape]]", e.Key)
		}
	}
	if err := p.checkTable(table, AllOptions(t), others...); err != nil {
		return err
	}
	if r, ok := t.(*Report); ok {
		if of := new(option.Error); errors.As(r.Check(), &of) {
			return p.parsed.Fail(table.Find(of.Word).Place, "%s", option.Say(of.Error(), plainly, plainly))
		}
	}
	return nil
}

// onlyWord is the word of the option that says which files are read, or in a reconciliation which
// records are written.
const onlyWord = "only"

// severityTable has a key for each kind of finding whose severity is another one.
const severityTable = "severity"

func (p *Plan) checkSeverities(table *plan.Table) error {
	for i := range table.Entries {
		e := &table.Entries[i]
		if _, err := finding.ParseSeverities([]string{severityText(e)}); err != nil {
			return p.parsed.Fail(e.Place, "%v", err)
		}
	}
	return nil
}

// severityText writes an entry as the option has it.
func severityText(e *plan.Entry) string { return fmt.Sprintf("%s=%v", e.Key, e.Value) }

// severities are the entries of the table of severities, each as a table with the option.
func (p *Plan) severities() (tables []*plan.Table) {
	table := p.parsed.Command(severityTable)
	if table == nil {
		return nil
	}
	for i := range table.Entries {
		e := &table.Entries[i]
		tables = append(tables, &plan.Table{Entries: []plan.Entry{{Key: severityTable, Value: severityText(e),
			Place: e.Place}}})
	}
	return tables
}

func (p *Plan) checkTable(table *plan.Table, options option.List, others ...string) error {
	known := slices.Clone(others)
	for _, o := range options {
		if !o.OneRun {
			known = append(known, o.Word)
		}
	}
	slices.Sort(known)
	for i := range table.Entries {
		e := &table.Entries[i]
		o := options.Find(e.Key)
		switch {
		case slices.Contains(others, e.Key):
			continue
		case o == nil:
			text := fmt.Sprintf("the table %s has no key %s", table.Name, e.Key)
			if near, ok := nearest.To(e.Key, known); ok {
				text += fmt.Sprintf("; did you mean %s?", near)
			}
			return p.parsed.Fail(e.Place, "%s\nthere is: %s", text, strings.Join(known, ", "))
		case o.OneRun:
			return p.parsed.Fail(e.Place, "%s belongs to one run, and not into a plan; give it as %s", e.Key,
				option.Mark(e.Key))
		}
		if err := p.set(o, e); err != nil {
			return err
		}
	}
	return nil
}

// set gives an option the value of an entry. Paths are those of the plan's folder.
func (p *Plan) set(o *option.Option, e *plan.Entry) error {
	if err := o.Set(e.Value); err != nil {
		return p.parsed.Fail(e.Place, "%v", err)
	}
	if o.Given = (option.Given{Line: e.Line, Column: e.Column}); o.File != option.NoFile {
		o.Resolve(func(path string) string { return beside(p.parsed.File, path) })
	}
	if err := o.Check(); err != nil {
		return p.parsed.Fail(e.Place, "%s", option.Say(err.Error(), plainly, plainly))
	}
	return nil
}

// plainly writes the word of an option as it stands in a plan.
func plainly(word string) string { return word }

// beside makes a path that is written in a plan one that can be opened.
func beside(file, path string) string {
	switch {
	case source.IsQuery(path):
		return source.QueryFromPlan(path)
	case path == "" || filepath.IsAbs(path) || path == "-":
		return path
	}
	return filepath.Join(filepath.Dir(file), filepath.FromSlash(path))
}

// StaysInside makes sure that the plan, which may be somebody else's, writes nothing outside of its own folder, links
// followed, by what it says in [read] and for some commands, or for all of them. The error is a *plan.Error.
func (p *Plan) StaysInside(commands ...string) (err error) {
	home, unreal := realPath(filepath.Dir(p.parsed.File))
	if unreal != nil {
		return unreal
	}
	p.eachPath(func(e *plan.Entry, o *option.Option) {
		if o == nil || o.File != option.Written && o.Word != "decisions" {
			return
		}
		for _, text := range option.TextsOf(e.Value) {
			real, unreal := realPath(beside(p.parsed.File, text))
			way, away := filepath.Rel(home, real)
			if err == nil && (unreal != nil || away != nil || !filepath.IsLocal(way)) {
				err = p.parsed.Fail(e.Place, "%s = %q leaves the folder of the plan; where that is meant, say %s on "+
					"the command line", e.Key, text, option.Mark("outside"))
			}
		}
	}, commands...)
	for _, name := range []string{"blocks", "results", FrozenFolder, DecisionsName} { // unless the plan says otherwise
		real, unreal := realPath(filepath.Join(home, name))
		if way, away := filepath.Rel(home,
			real); err == nil && unreal == nil && (away != nil || !filepath.IsLocal(way)) {
			err = option.Errorf("plan",
				"%s in the folder of the plan is a link that leaves it; where that is meant, say %s "+
					"on the command line", name, option.Mark("outside"))
		}
	}
	return err
}

// realPath is a path without links, absolute, of a file that need not be there.
func realPath(path string) (string, error) {
	path, err := filepath.Abs(path)
	if err != nil {
		return "", err
	}
	real, err := filepath.EvalSymlinks(path)
	if !errors.Is(err, fs.ErrNotExist) || filepath.Dir(path) == path {
		return real, err
	}
	if info, err := os.Lstat(path); err == nil && info.Mode()&fs.ModeSymlink != 0 {
		return "", fmt.Errorf("%s leads nowhere", path)
	}
	folder, err := realPath(filepath.Dir(path))
	return filepath.Join(folder, filepath.Base(path)), err
}

// Has tells whether the plan has a table of a command.
func (p *Plan) Has(command string) bool { return p.parsed.Command(command) != nil }

// Files are those that the plan names to be read, by whichever task: none of them may become an
// output.
func (p *Plan) Files() []string {
	files := []string{p.parsed.File}
	for _, t := range Tasks() {
		for _, table := range p.parsed.All(t.Name()) {
			files = append(files, p.filesOf(table, AllOptions(t))...)
		}
	}
	return files
}

// filesOf are those that a table names.
func (p *Plan) filesOf(table *plan.Table, options option.List) (files []string) {
	for _, o := range options {
		e := table.Find(o.Word)
		if e == nil || o.File != option.Read || o.Set(e.Value) != nil {
			continue
		}
		o.Resolve(func(path string) string {
			if !strings.ContainsAny(path, "{*?") && !source.IsQuery(path) {
				files = append(files, beside(p.parsed.File, path))
			}
			return path
		})
	}
	return files
}

// Lead writes the option with which an error begins as the plan has it, with its place; one that
// the plan does not have stays as it is.
func (p *Plan) Lead(options option.List) func(word string) string {
	return func(word string) string {
		if o := options.Find(word); o != nil && o.Given.Line > 0 {
			return p.at(o.Given.Line, o.Given.Column, word)
		}
		return option.Mark(word)
	}
}

func (p *Plan) at(line, column int, word string) string {
	return fmt.Sprintf("%s line %d, column %d: %s", p.parsed.File, line, column, word)
}
