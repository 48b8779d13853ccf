package month

import (
	"errors"
	"fmt"
	"slices"

	"lastblock/core/month/plan"
	"lastblock/core/option"
	"lastblock/core/source"
	"lastblock/core/source/shape"
)

// Apply gives the options of a task what the plan says, but for those that were typed. options
// are those of AllOptions for the task, with what the command line has said. It returns notes on
// what takes the place of something else, and the error is a *plan.Error.
func (p *Plan) Apply(t Task, options option.List) (notes []string, err error) {
	p.notes = nil
	f := filling{plan: p, task: t, options: options, own: p.parsed.Command(t.Name()), typed: typedTexts(options)}
	err = f.fill()
	return p.notes, err
}

// filling fills the options of a task from a plan.
type filling struct {
	plan    *Plan
	task    Task
	options option.List
	own     *plan.Table         // of the task; nil for none
	typed   map[string][]string // of options that add up
	apart   *shape.Words        // takes what belongs to the one result; nil where it is as good as said in read
}

func (f *filling) fill() error {
	p, reading := f.plan, f.task.Sources()
	reading.roster = p.roster()
	for _, o := range f.options {
		reading.Narrowed = reading.Narrowed || o.Given.Typed && (o.Word == onlyWord || o.Word == "skip")
	}
	for _, table := range []*plan.Table{&p.parsed.Read, f.own} {
		if err := f.take(table); err != nil {
			return err
		}
	}
	for _, o := range f.options {
		if o.Subject == nil {
			continue
		}
		tables, typed := []*plan.Table{&p.parsed.Read, f.own}, f.typed[o.Word]
		switch {
		case o.Word == severityTable:
			tables = append(p.severities(), tables...)
		case f.isApart(o):
			tables, typed = tables[:1], nil
		}
		if err := p.addUp(o, typed, tables...); err != nil {
			return err
		}
	}
	for i := range p.parsed.Shapes {
		named, err := f.shape(&p.parsed.Shapes[i])
		if err != nil {
			return err
		}
		reading.Manners = append(reading.Manners, named)
	}
	return f.takeApart()
}

// isApart tells whether an option belongs to the one result, and not to how sources are read. Those
// of a reference are of that alone.
func (f *filling) isApart(o *option.Option) bool {
	if f.apart == nil {
		return false
	}
	same := f.apart.Options().Find(o.Word)
	return same != nil && same.PerResult
}

// takeApart takes what the task's table and the command line say for the one result.
func (f *filling) takeApart() error {
	if f.apart == nil {
		return nil
	}
	for _, o := range f.apart.Options() {
		if !o.PerResult {
			continue
		}
		f.plan.addedUp(o, f.typed[o.Word], &f.plan.parsed.Read, f.own) // for its notes
		for i := range f.plan.parsed.Shapes {
			f.plan.addedUp(o, f.typed[o.Word], &f.plan.parsed.Shapes[i], f.own)
		}
		if err := f.plan.addUp(o, f.typed[o.Word], f.own); err != nil {
			return err
		}
	}
	return nil
}

// leavesAside tells whether what is said of the sources that all results share does not hold for the task: which of
// them are read, where it has sources of its own, and how records are read, where it reads cells.
func (f *filling) leavesAside(word string) bool {
	return f.options.Find(word) == nil ||
		find(f.own, pathsKey) != nil && slices.Contains([]string{onlyWord, "skip", "recurse", "sheet", "table"},
			word)
}

// ownSays tells whether the task's own table gives an option a value; what a result is called is none.
func (f *filling) ownSays(word string) bool {
	_, makes := f.task.(Maker)
	return find(f.own, word) != nil && !(makes && word == resultKey)
}

// typedTexts are the texts of options that add up, as far as they were typed, by word.
func typedTexts(options option.List) map[string][]string {
	typed := make(map[string][]string)
	for _, o := range options {
		if o.Given.Typed && o.Subject != nil {
			typed[o.Word] = o.Texts()
		}
	}
	return typed
}

// addUp gives an option what several tables and the command line say for it.
func (p *Plan) addUp(o *option.Option, typed []string, tables ...*plan.Table) error {
	if err := o.SetTexts(p.addedUp(o, typed, tables...)); err != nil {
		return err
	}
	for _, table := range tables {
		if e := find(table, o.Word); e != nil && !o.Given.Typed {
			o.Given = option.Given{Line: e.Line, Column: e.Column}
		}
	}
	return nil
}

// find returns the entry of a key in a table, nil for none.
func find(table *plan.Table, key string) *plan.Entry {
	if table == nil {
		return nil
	}
	return table.Find(key)
}

// take gives options what a table says, but for those that are typed or add up.
func (f *filling) take(table *plan.Table) error {
	if table == nil {
		return nil
	}
	p, reading := f.plan, f.task.Sources()
	if e := find(table, pathsKey); e != nil {
		reading.Planned, reading.ownPaths = nil, table != &p.parsed.Read
		for _, path := range option.TextsOf(e.Value) {
			reading.Planned = append(reading.Planned, beside(p.parsed.File, path))
		}
	}
	for i := range table.Entries {
		e := &table.Entries[i]
		if e.Key == pathsKey || table == &p.parsed.Read && f.leavesAside(e.Key) {
			continue
		}
		if maker, ok := f.task.(Maker); ok && e.Key == resultKey && table != &p.parsed.Read {
			maker.Outputs().Result, _ = e.Value.(string)
			continue
		}
		if o := f.options.Find(e.Key); !o.Given.Typed && o.Subject == nil {
			if err := p.set(o, e); err != nil {
				return err
			}
			if writes, ok := f.task.(interface{ Outputs() *Writing }); ok && e.Key == replaceWord {
				writes.Outputs().OnlyOwn = true
			}
		}
	}
	return nil
}

// shape is how the sources of a shape are written: as the shape says, else as read says; what the
// task's table and the command line say holds for all shapes.
func (f *filling) shape(shape *plan.Table) (source.NamedManner, error) {
	p := f.plan
	request := f.task.Sources().Manner // how all others are written
	mine := request.Options()
	for _, o := range mine {
		everywhere, e := f.options.Find(o.Word), shape.Find(o.Word)
		if everywhere == nil {
			continue
		}
		o.Given = everywhere.Given
		if o.Subject != nil {
			tables, typed := []*plan.Table{&p.parsed.Read, shape, f.own}, f.typed[o.Word]
			if f.isApart(o) {
				tables, typed = tables[:2], nil
			}
			if err := o.SetTexts(p.addedUp(o, typed, tables...)); err != nil {
				return source.NamedManner{}, err
			}
		}
		if e == nil {
			continue
		}
		if o.Subject != nil {
			o.Given = option.Given{Line: e.Line, Column: e.Column}
		} else if !everywhere.Given.Typed && !f.ownSays(o.Word) {
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
