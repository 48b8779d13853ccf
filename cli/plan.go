package cli

import (
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"lastblock/core/month/plan"
	"lastblock/core/source"
	"lastblock/core/value/nearest"
	"lastblock/show"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
)

// pathsKey is the only key of a plan's table read that is no flag.
const pathsKey = "paths"

// partsKey is the only key of a shape beside match that is no flag: several files for
// one entity and period are parts of one filing.
const partsKey = "parts"

// notInPlan are flags that speak of one run, and not of a month end.
var notInPlan = []string{"plan", "json", "help", "quiet"}

// usePlan gives the flags that the user has not set the values of the plan.
func (r *reading) usePlan(cmd *cobra.Command) error {
	if r.plan == "" {
		return nil
	}
	p, err := readPlan(r.plan)
	if err != nil {
		return err
	}
	if err := checkPlan(p, cmd.Root(), cmd.Flags()); err != nil {
		return err
	}
	r.app.isReading(nil, r.namedIn(p)...)
	given := make(map[string]bool)
	cmd.Flags().Visit(func(f *pflag.Flag) { given[f.Name] = true })
	r.narrowed = given["only"] || given["skip"]
	r.planned, r.typed = make(map[string]plan.Place), make(map[string][]string)
	for name := range added {
		if f := cmd.Flags().Lookup(name); given[name] {
			r.typed[name] = valuesOf(f)
		}
	}
	tables := []*plan.Table{&p.Read}
	if own := p.Command(cmd.Name()); own != nil {
		tables = append(tables, own)
	}
	for _, table := range tables {
		for i := range table.Entries {
			e := &table.Entries[i]
			if e.Key == pathsKey && table == &p.Read {
				r.paths = r.beside(listOf(e.Value)...)
				continue
			}
			if given[e.Key] || added[e.Key] != nil {
				continue
			}
			if err := r.set(p, cmd.Flags().Lookup(e.Key), e); err != nil {
				return err
			}
			r.planned[e.Key] = e.Place
		}
	}
	if err := r.addFlags(p, cmd, given); err != nil {
		return err
	}
	for i := range p.Shapes {
		named, err := r.shapeOf(p, &p.Shapes[i], p.Command(cmd.Name()), cmd.Flags(), given)
		if err != nil {
			return err
		}
		r.shapes = append(r.shapes, named)
	}
	for _, note := range r.notes {
		fmt.Fprintln(cmd.ErrOrStderr(), show.Visible("note: "+note))
	}
	return nil
}

// readPlan reads a plan, and says of a file that is none what it takes to have one.
func readPlan(path string) (*plan.Plan, error) {
	const advice = "'lastblock draft DIR --out lastblock.toml' writes one for what lies in a folder"
	data, err := os.ReadFile(path)
	switch info, statErr := os.Stat(path); {
	case errors.Is(err, fs.ErrNotExist):
		return nil, fmt.Errorf("--plan: there is no file %s; %s", path, advice)
	case statErr == nil && info.IsDir():
		return nil, fmt.Errorf("--plan: %s is a folder; name the plan in it, as %s", path, filepath.Join(path, plan.Name))
	case err != nil:
		return nil, fmt.Errorf("--plan: %w", err)
	}
	p, err := plan.Parse(path, data)
	if err != nil && !strings.EqualFold(filepath.Ext(path), ".toml") {
		return nil, fmt.Errorf("--plan: %s is no plan, which is written in TOML; %s\n%w", path, advice, err)
	}
	return p, err
}

// addFlags sets the flags whose values are added up.
func (r *reading) addFlags(p *plan.Plan, cmd *cobra.Command, given map[string]bool) error {
	own := p.Command(cmd.Name())
	for _, name := range sortedNames(added) {
		f := cmd.Flags().Lookup(name)
		texts, err := r.addedUp(p, nil, own, f)
		if err != nil {
			return err
		}
		for _, table := range []*plan.Table{own, &p.Read} {
			if table != nil && table.Find(name) != nil && !given[name] {
				r.planned[name] = table.Find(name).Place
				break
			}
		}
		if len(texts) > 0 {
			if err := setTo(f, texts); err != nil {
				return err
			}
		}
	}
	return nil
}

// sortedNames are the flags that are added up, in an order that is always the same.
func sortedNames(of map[string]func(string) string) []string { return slices.Sorted(maps.Keys(of)) }

// references are the keys of a plan whose values are files that commands read.
var references = []string{"declared", "roster", "allowed", "against", "from", "rates", "decisions"}

// namedIn are the files that a plan names to be read, be it by another command than this
// one: none of them may become an output.
func (r *reading) namedIn(p *plan.Plan) []string {
	var files []string
	for i := range p.Commands {
		for k := range p.Commands[i].Entries {
			e := &p.Commands[i].Entries[k]
			if !slices.Contains(references, e.Key) {
				continue
			}
			for _, text := range listOf(e.Value) {
				if e.Key == "allowed" {
					_, text, _ = strings.Cut(text, "=")
					text, _, _ = strings.Cut(text, "#")
				}
				if !strings.ContainsAny(text, "{*?") && !source.IsQuery(text) {
					files = append(files, r.beside(text)...)
				}
			}
		}
	}
	return files
}

// checkPlan makes sure that every table is a command and every key a flag of
// it, those of other commands too, so that a slip shows at once.
func checkPlan(p *plan.Plan, root *cobra.Command, flags *pflag.FlagSet) error {
	commands := make(map[string]*cobra.Command)
	var names []string
	for _, c := range root.Commands() {
		if c.Flags().Lookup("plan") != nil {
			commands[c.Name()] = c
			names = append(names, c.Name())
		}
	}
	var shared, manners []string
	new(manner).addTo(collectNames(&manners))
	readings := new(cobra.Command)
	new(reading).addTo(nil, readings)
	readings.Flags().VisitAll(func(f *pflag.Flag) { shared = append(shared, f.Name) })
	if err := checkKeys(p, &p.Read, append(shared, pathsKey)); err != nil {
		return err
	}
	for i := range p.Shapes {
		if err := checkKeys(p, &p.Shapes[i], append(manners, plan.MatchKey, partsKey)); err != nil {
			return err
		}
	}
	for i := range p.Commands {
		table := &p.Commands[i]
		command := commands[table.Name]
		if command == nil {
			return p.Fail(table.Place, "%s", unknownName("table", "", table.Name, append(names, plan.ReadTable)))
		}
		var keys []string
		command.Flags().VisitAll(func(f *pflag.Flag) { keys = append(keys, f.Name) })
		if err := checkKeys(p, table, keys); err != nil {
			return err
		}
		for k := range table.Entries {
			if err := checkType(p, command.Flags().Lookup(table.Entries[k].Key), &table.Entries[k]); err != nil {
				return err
			}
		}
	}
	for i := range p.Read.Entries {
		if f := readings.Flags().Lookup(p.Read.Entries[i].Key); f != nil {
			if err := checkType(p, f, &p.Read.Entries[i]); err != nil {
				return err
			}
		}
	}
	return nil
}

// collectNames returns a set of flags whose names are collected.
func collectNames(names *[]string) *pflag.FlagSet {
	flags := pflag.NewFlagSet("", pflag.ContinueOnError)
	flags.SetNormalizeFunc(func(_ *pflag.FlagSet, name string) pflag.NormalizedName {
		if !slices.Contains(*names, name) {
			*names = append(*names, name)
		}
		return pflag.NormalizedName(name)
	})
	return flags
}

func checkKeys(p *plan.Plan, table *plan.Table, known []string) error {
	known = slices.DeleteFunc(slices.Clone(known), func(name string) bool { return slices.Contains(notInPlan, name) })
	slices.Sort(known)
	for i := range table.Entries {
		e := &table.Entries[i]
		if slices.Contains(known, e.Key) {
			continue
		}
		if slices.Contains(notInPlan, e.Key) {
			return p.Fail(e.Place, "%s belongs to one run, and not into a plan; give it as --%s", e.Key, e.Key)
		}
		text := fmt.Sprintf("the table %s has no key %s", table.Name, e.Key)
		if near, ok := nearest.To(e.Key, known); ok {
			text += fmt.Sprintf("; did you mean %s?", near)
		}
		return p.Fail(e.Place, "%s\nthere is: %s", text, strings.Join(known, ", "))
	}
	return nil
}

// checkType makes sure that a value is of the kind that its flag has.
func checkType(p *plan.Plan, f *pflag.Flag, e *plan.Entry) error {
	needed := ""
	switch f.Value.Type() {
	case "bool":
		if _, ok := e.Value.(bool); !ok {
			needed = "true or false is needed"
		}
	case "int":
		if _, ok := e.Value.(int64); !ok {
			needed = "a whole number is needed"
		}
	case "stringSlice", "stringArray":
		if listOf(e.Value) == nil {
			needed = "a text in quotes or a list of them is needed"
		}
	default:
		if _, ok := e.Value.(string); !ok {
			needed = "a text in quotes is needed"
		}
	}
	if needed != "" {
		return p.Fail(e.Place, "%s is %v: %s, for %s", e.Key, e.Value, needed, f.Usage)
	}
	return nil
}

// listOf makes a list of a value, nil where it is no text.
func listOf(value any) []string {
	switch v := value.(type) {
	case string:
		return []string{v}
	case []string:
		return v
	}
	return nil
}

// set sets a flag to the value of the plan. Paths are those of the plan's
// folder.
func (r *reading) set(p *plan.Plan, f *pflag.Flag, e *plan.Entry) error {
	if err := checkType(p, f, e); err != nil {
		return err
	}
	f.Changed = true
	_, isPath := f.Annotations[cobra.BashCompFilenameExt]
	if list, ok := f.Value.(pflag.SliceValue); ok {
		texts := listOf(e.Value)
		if isPath {
			texts = r.beside(texts...)
		}
		return list.Replace(texts)
	}
	text := fmt.Sprint(e.Value)
	if isPath && text != "" {
		text = r.beside(text)[0]
	}
	if err := f.Value.Set(text); err != nil {
		return p.Fail(e.Place, "%s is %v, for %s", e.Key, e.Value, f.Usage)
	}
	return nil
}

// beside makes paths that are written in the plan ones that can be opened.
func (r *reading) beside(paths ...string) []string {
	var found []string
	for _, path := range paths {
		if !filepath.IsAbs(path) && path != "-" && !source.IsQuery(path) {
			path = filepath.Join(filepath.Dir(r.plan), filepath.FromSlash(path))
		}
		found = append(found, path)
	}
	return found
}

// shapeOf is how the sources of a shape are written: as the shape says, else as
// read says; and what the command's table and the user's flags say holds for
// all shapes.
func (r *reading) shapeOf(p *plan.Plan, shape, own *plan.Table, flags *pflag.FlagSet, given map[string]bool) (source.NamedManner, error) {
	var m manner
	these := pflag.NewFlagSet("", pflag.ContinueOnError)
	m.addTo(these)
	places := make(map[string]plan.Place)
	var wrong error
	these.VisitAll(func(f *pflag.Flag) {
		if added[f.Name] != nil {
			texts, err := r.addedUp(p, shape, own, f)
			if err == nil && len(texts) > 0 {
				err = setTo(f, texts)
			}
			if err != nil && wrong == nil {
				wrong = err
			}
			if e := shape.Find(f.Name); e != nil {
				places[f.Name] = e.Place
			}
			return
		}
		over := given[f.Name] || own != nil && own.Find(f.Name) != nil
		if e := shape.Find(f.Name); e != nil && !over {
			if err := r.set(p, f, e); err != nil && wrong == nil {
				wrong = err
			}
			places[f.Name] = e.Place
			return
		}
		if from := flags.Lookup(f.Name); from.Changed {
			copyValue(f, from)
		}
	})
	if wrong != nil {
		return source.NamedManner{}, wrong
	}
	pattern := ""
	if match := shape.Find(plan.MatchKey); match != nil {
		var ok bool
		if pattern, ok = match.Value.(string); !ok || pattern == "" {
			return source.NamedManner{}, p.Fail(match.Place, "match is a pattern in quotes, as \"corvane_*\"")
		}
	}
	made, err := m.manner(func(name string) string {
		if at, ok := places[name]; ok {
			return fmt.Sprintf("%s line %d, column %d: %s", r.plan, at.Line, at.Column, name)
		}
		return r.nameOf(name)
	})
	if err != nil {
		return source.NamedManner{}, err
	}
	if e := shape.Find(partsKey); e != nil {
		var ok bool
		if made.Parts, ok = e.Value.(bool); !ok {
			return source.NamedManner{}, p.Fail(e.Place, "%s is %v: true or false is needed, for whether several files for one entity and period are parts of one filing", e.Key, e.Value)
		}
	}
	return source.NamedManner{Match: pattern, Manner: made}, nil
}

func copyValue(to, from *pflag.Flag) {
	to.Changed = true
	if list, ok := from.Value.(pflag.SliceValue); ok {
		if err := to.Value.(pflag.SliceValue).Replace(list.GetSlice()); err == nil {
			return
		}
	}
	if err := to.Value.Set(from.Value.String()); err != nil {
		panic(err) // two flags of the same kind, and the value was one before
	}
}

// nameOf writes a flag as its user knows it: as a flag, or as a key of the plan
// with its place.
func (r *reading) nameOf(name string) string {
	if at, ok := r.planned[name]; ok {
		return fmt.Sprintf("%s line %d, column %d: %s", r.plan, at.Line, at.Column, name)
	}
	return asFlag(r.prefix + name)
}

// inPlan makes an error that speaks of a flag one that speaks of the plan, where
// that is where the flag's value stands.
func (r *reading) inPlan(err error) error {
	if err == nil {
		return nil
	}
	rest, ok := strings.CutPrefix(err.Error(), "--")
	if !ok {
		return err
	}
	end := strings.IndexAny(rest, " :")
	if end < 0 {
		end = len(rest)
	}
	if _, planned := r.planned[rest[:end]]; !planned {
		return err
	}
	return fmt.Errorf("%s%s", r.nameOf(rest[:end]), rest[end:])
}
