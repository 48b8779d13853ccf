package month

import (
	"errors"
	"fmt"
	"io/fs"
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
	pathsKey = "paths" // of read
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
	known := make(map[string]option.List)
	names := []string{severityTable}
	for _, t := range Tasks() {
		known[t.Name()] = AllOptions(t)
		names = append(names, t.Name())
	}
	for i := range p.parsed.Commands {
		table := &p.parsed.Commands[i]
		if table.Name == severityTable {
			if err := p.checkSeverities(table); err != nil {
				return err
			}
			continue
		}
		options, ok := known[table.Name]
		if !ok {
			return p.parsed.Fail(table.Place, "%v", nearest.Unknown("table", table.Name, append(names, plan.ReadTable)))
		}
		if err := p.checkTable(table, options); err != nil {
			return err
		}
	}
	return nil
}

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
	if path == "" || filepath.IsAbs(path) || path == "-" || source.IsQuery(path) {
		return path
	}
	return filepath.Join(filepath.Dir(file), filepath.FromSlash(path))
}

// Files are those that the plan names to be read, by whichever task: none of them may become an
// output.
func (p *Plan) Files() []string {
	files := []string{p.parsed.File}
	for _, t := range Tasks() {
		table := p.parsed.Command(t.Name())
		if table == nil {
			continue
		}
		for _, o := range AllOptions(t) {
			e := table.Find(o.Word)
			if e == nil || o.File != option.Read {
				continue
			}
			resolve := func(path string) string {
				if !strings.ContainsAny(path, "{*?") && !source.IsQuery(path) {
					files = append(files, beside(p.parsed.File, path))
				}
				return path
			}
			if o.Set(e.Value) == nil {
				o.Resolve(resolve)
			}
		}
	}
	return files
}

// Apply gives the options of a task what the plan says, but for those that were typed. options
// are those of AllOptions for the task, with what the command line has said. It returns notes on
// what takes the place of something else, and the error is a *plan.Error.
func (p *Plan) Apply(t Task, options option.List) (notes []string, err error) {
	p.notes = nil
	reading, own := t.Sources(), p.parsed.Command(t.Name())
	typed := make(map[string][]string)
	for _, o := range options {
		if o.Given.Typed && o.Subject != nil {
			typed[o.Word] = o.Texts()
		}
		reading.Narrowed = reading.Narrowed || o.Given.Typed && (o.Word == "only" || o.Word == "skip")
	}
	for _, table := range []*plan.Table{&p.parsed.Read, own} {
		if err := p.applyTable(table, reading, options); err != nil {
			return nil, err
		}
	}
	for _, o := range options {
		if o.Subject == nil {
			continue
		}
		tables := []*plan.Table{&p.parsed.Read, own}
		if o.Word == severityTable {
			tables = append(p.severities(), tables...)
		}
		if err := o.SetTexts(p.addedUp(o, typed[o.Word], tables...)); err != nil {
			return nil, err
		}
		for _, table := range []*plan.Table{&p.parsed.Read, own} {
			if e := find(table, o.Word); e != nil && !o.Given.Typed {
				o.Given = option.Given{Line: e.Line, Column: e.Column}
			}
		}
	}
	for i := range p.parsed.Shapes {
		named, err := p.shape(&p.parsed.Shapes[i], own, options, reading.Manner, typed)
		if err != nil {
			return nil, err
		}
		reading.Manners = append(reading.Manners, named)
	}
	return p.notes, nil
}

func find(table *plan.Table, key string) *plan.Entry {
	if table == nil {
		return nil
	}
	return table.Find(key)
}

// applyTable gives options what a table says, but for those that are typed or add up.
func (p *Plan) applyTable(table *plan.Table, reading *Reading, options option.List) error {
	if table == nil {
		return nil
	}
	for i := range table.Entries {
		e := &table.Entries[i]
		if e.Key == pathsKey && table == &p.parsed.Read {
			for _, path := range option.TextsOf(e.Value) {
				reading.Planned = append(reading.Planned, beside(p.parsed.File, path))
			}
			continue
		}
		if o := options.Find(e.Key); !o.Given.Typed && o.Subject == nil {
			if err := p.set(o, e); err != nil {
				return err
			}
		}
	}
	return nil
}

// shape is how the sources of a shape are written: as the shape says, else as read says; what the
// task's table and the command line say holds for all shapes. base is how all others are written.
func (p *Plan) shape(shape, own *plan.Table, options option.List, base source.MannerRequest,
	typed map[string][]string) (source.NamedManner, error) {
	request := base
	mine := request.Options()
	for _, o := range mine {
		everywhere, e := options.Find(o.Word), shape.Find(o.Word)
		o.Given = everywhere.Given
		if o.Subject != nil {
			if err := o.SetTexts(p.addedUp(o, typed[o.Word], &p.parsed.Read, shape, own)); err != nil {
				return source.NamedManner{}, err
			}
		}
		if e == nil {
			continue
		}
		if o.Subject != nil {
			o.Given = option.Given{Line: e.Line, Column: e.Column}
		} else if !everywhere.Given.Typed && find(own, o.Word) == nil {
			if err := p.set(o, e); err != nil {
				return source.NamedManner{}, err
			}
		}
	}
	manner, err := request.Manner("")
	if err != nil {
		return source.NamedManner{}, errors.New(option.Say(err.Error(), p.Lead(mine), option.Mark))
	}
	named := source.NamedManner{Manner: manner}
	if match := shape.Find(plan.MatchKey); match != nil {
		var ok bool
		if named.Match, ok = match.Value.(string); !ok || named.Match == "" {
			return named, p.parsed.Fail(match.Place, "match is a pattern in quotes, as \"corvane_*\"")
		}
	}
	if e := shape.Find(partsKey); e != nil {
		var ok bool
		if manner.Parts, ok = e.Value.(bool); !ok {
			return named, p.parsed.Fail(e.Place,
				"%s is %v: true or false is needed, for whether several files for one entity and period "+
					"are parts of one filing", e.Key, e.Value)
		}
	}
	return named, nil
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

// addedUp is what several places say for an option, in the order in which the later one holds. Of
// two texts that speak of one subject the later one takes the place of the earlier, which a note
// says; what one place says twice is its own error.
func (p *Plan) addedUp(o *option.Option, typed []string, tables ...*plan.Table) (texts []string) {
	from := make(map[string]string) // where a subject was spoken of last
	add := func(where string, said []string) {
		for _, text := range said {
			subject := o.Subject(text)
			at := slices.IndexFunc(texts, func(other string) bool { return o.Subject(other) == subject })
			earlier, known := from[subject]
			from[subject] = where
			switch {
			case at < 0 || known && earlier == where:
				texts = append(texts, text)
			case texts[at] != text:
				texts[at] = text
				note := fmt.Sprintf("%s: %s takes the place of the one in %s", where, subject, earlier)
				if !slices.Contains(p.notes, note) {
					p.notes = append(p.notes, note)
				}
			}
		}
	}
	for _, table := range tables {
		if e := find(table, o.Word); e != nil {
			add(p.at(e.Line, e.Column, o.Word), option.TextsOf(e.Value))
		}
	}
	add(option.Mark(o.Word), typed)
	return texts
}
