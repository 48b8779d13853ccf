package month

import (
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"lastblock/core/finding"
	"lastblock/core/month/plan"
	"lastblock/core/option"
	"lastblock/core/source/shape"
	"lastblock/core/value/nearest"
)

// resultKey is the key of a command's table that says what its result is called.
const resultKey = "name"

// Maker is a task of which a plan may ask several results.
type Maker interface {
	Task
	Outputs() *Writing
}

// Result is one result that a plan or a command line asks for.
type Result[T Task] struct {
	Task    T
	Options option.List

	// Narrow is what is computed and left out for this result alone, beside others that are made
	// in the same reading; nil for nothing.
	Narrow *shape.Request

	plan *Plan
}

// Results are the results of a task, of which t and options are as the command line has them: one
// for each of its tables in the plan, as far as they are wanted, or the one that the command line
// asks for. make makes another task of its kind; plan is nil without one. The error is an
// *option.Error or a *plan.Error.
func Results[T Maker](p *Plan, t T, options option.List, make func() T) (all []*Result[T], notes []string, err error) {
	named := t.Outputs().Named
	if p == nil {
		if named != nil {
			return nil, nil, option.Errorf("named", "a plan has results with names; name it with ⟨plan⟩")
		}
		return []*Result[T]{{Task: t, Options: options}}, nil, nil
	}
	p.notes = nil
	tables, err := p.wanted(t.Name(), named)
	if err != nil {
		return nil, nil, err
	}
	for _, table := range tables {
		r := &Result[T]{Task: make(), plan: p}
		if r.Options, r.Narrow, err = p.resultOf(r.Task, options, table); err != nil {
			return nil, nil, err
		}
		all = append(all, r)
	}
	return all, p.notes, nil
}

// wanted are the tables of a command, of which names says which ones are wanted, nil for all; a nil
// table where the plan has none.
func (p *Plan) wanted(command string, names []string) ([]*plan.Table, error) {
	tables := p.parsed.All(command)
	if names == nil {
		if tables == nil {
			return []*plan.Table{nil}, nil
		}
		return tables, nil
	}
	var have []string
	for _, table := range tables {
		if e := table.Find(resultKey); e != nil {
			have = append(have, e.Value.(string))
		}
	}
	for _, name := range names {
		switch {
		case len(have) == 0:
			return nil, option.Errorf("named", "the plan has no result of %s with a name", command)
		case !slices.Contains(have, name):
			return nil, option.Errorf("named", "%w", nearest.Unknown("result", name, have))
		}
	}
	return slices.DeleteFunc(tables, func(table *plan.Table) bool {
		e := table.Find(resultKey)
		return e == nil || !slices.Contains(names, e.Value.(string))
	}), nil
}

// resultOf fills a task from a table, with what is typed for the command of the run.
func (p *Plan) resultOf(t Task, typed option.List, own *plan.Table) (option.List, *shape.Request, error) {
	options, apart := AllOptions(t), new(shape.Words)
	f := filling{plan: p, task: t, options: options, own: own, typed: typedTexts(typed), apart: apart}
	for _, o := range options {
		if from := typed.Find(o.Word); from != nil && from.Given.Typed && !f.isApart(o) {
			o.Copy(from)
		}
	}
	if err := f.fill(); err != nil {
		return nil, nil, err
	}
	mine := apart.Options()
	narrow, err := apart.Request("")
	if err != nil {
		return nil, nil, errors.New(option.Say(err.Error(), p.Lead(mine), option.Mark))
	}
	return options, narrow, nil
}

// ResultOf fills a task of which a plan has one table, as that says.
func ResultOf[T Task](p *Plan, t T) (*Result[T], error) {
	r := &Result[T]{Task: t, plan: p}
	var err error
	r.Options, r.Narrow, err = p.resultOf(t, nil, p.parsed.Command(t.Name()))
	return r, err
}

// checkName wants a name of a table that stands beside others of its command, and one that can
// stand in a file's name.
func (p *Plan) checkName(table *plan.Table) error {
	e := table.Find(resultKey)
	if e == nil {
		if len(p.parsed.All(table.Name)) > 1 {
			return p.parsed.Fail(table.Place, "there are several tables %s, so each needs a name, as name = "+
				"\"by-company\"", table.Name)
		}
		return nil
	}
	name, ok := e.Value.(string)
	switch {
	case !ok || name == "":
		return p.parsed.Fail(e.Place, "name is what the result is called: a text in quotes is needed")
	case strings.ContainsAny(name, "{}"):
		return p.parsed.Fail(e.Place, "name is what the result is called; what files' names tell stands in [read] or "+
			"a [[read.shape]]")
	case strings.ContainsAny(name, `/\:*?"<>|,`) || name != strings.TrimSpace(name) || strings.HasPrefix(name, "."):
		return p.parsed.Fail(e.Place, "the name %q cannot be part of a file's name", name)
	}
	for _, other := range p.parsed.All(table.Name) {
		if same := other.Find(resultKey); other != table && same != nil && same.Value == e.Value && same.Line < e.Line {
			return p.parsed.Fail(e.Place, "two results of %s are called %q; the other is on line %d", table.Name, name,
				same.Line)
		}
	}
	return nil
}

// Name is what the result is called, "" for one without a name.
func (r *Result[T]) Name() string {
	if maker, ok := any(r.Task).(Maker); ok {
		return maker.Outputs().Result
	}
	return ""
}

// Command is the command that makes the result.
func (r *Result[T]) Command() string { return r.Task.Name() }

// Err writes the option that an error begins with as the plan has it, with its place.
func (r *Result[T]) Err(err error) error {
	if of := new(option.Error); r.plan == nil || !errors.As(err, &of) {
		return err
	}
	return errors.New(option.Say(err.Error(), r.plan.Lead(r.Options), option.Mark))
}

// severities are those of the findings of this result.
func (r *Result[T]) severities() (finding.Severities, error) {
	severities, err := finding.ParseSeverities(r.Task.Sources().Severity)
	if err != nil {
		return nil, option.Errorf("severity", "%w", err)
	}
	return severities, nil
}

// templateWord is a word in braces in the path of an output.
var templateWord = regexp.MustCompile(`\{[^{}]*\}`)

// Fill fills {name} and {period} in the paths of what is written. The error is an *option.Error.
func (r *Result[T]) Fill(in *Input) error {
	for _, o := range r.Options {
		if o.File != option.Written {
			continue
		}
		var err error
		o.Resolve(func(path string) string {
			return templateWord.ReplaceAllStringFunc(path, func(word string) string {
				text, failed := r.fillWord(in, word)
				if err == nil {
					err = failed
				}
				return text
			})
		})
		if err != nil {
			return r.Err(option.Errorf(o.Word, "%w", err))
		}
	}
	return nil
}

func (r *Result[T]) fillWord(in *Input, word string) (string, error) {
	switch word {
	case "{period}":
		return in.Period(r.plan)
	case "{name}":
		if name := r.Name(); name != "" {
			return name, nil
		}
		return "", errors.New("the result has no name that could stand for {name}")
	}
	return "", fmt.Errorf("unknown word %s; in the path of an output stand {period} and {name}", word)
}
