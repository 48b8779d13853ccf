// Package plan reads a plan, lastblock.toml: a month end, written down once.
// Its words are those of the flags; which ones there are is for the commands to
// say. A plan is TOML 1.0: a table read for what is read and how, tables
// read.shape for branches that send another shape, and a table for each
// command.
package plan

import (
	"errors"
	"fmt"
	"strconv"
	"strings"

	"github.com/pelletier/go-toml/v2"
	"github.com/pelletier/go-toml/v2/unstable"
)

// Name is how a plan's file is called.
const Name = "lastblock.toml"

// Version is that of the plans this package reads.
const Version = 1

// The names of tables and keys that every plan has.
const (
	ReadTable  = "read"
	ShapeTable = "shape" // within read
	VersionKey = "version"
	MatchKey   = "match" // of a shape
	nameKey    = "name"  // of a shape, too, whose files it then tells as well
)

// Entry is one key with its value: a string, an int64, a bool or a []string.
type Entry struct {
	Key   string
	Value any
	Place
}

// span is where a text stands in the bytes of a plan.
type span struct{ start, end int }

// Place is where something stands in a plan, counted from 1.
type Place struct{ Line, Column int }

// Table is a table of a plan.
type Table struct {
	Name    string
	Entries []Entry
	Several bool // written [[name]]: there may be more of that name
	Place
}

// Find returns the entry of a key, nil if the table does not have it.
func (t *Table) Find(key string) *Entry {
	for i := range t.Entries {
		if t.Entries[i].Key == key {
			return &t.Entries[i]
		}
	}
	return nil
}

// Plan is a plan whose keys have not been checked.
type Plan struct {
	File     string
	Read     Table
	Shapes   []Table // in their order, each with a key match
	Commands []Table

	spans map[Place][]span // of the texts of an entry, quotes included, by where it stands
}

// Command returns the first table of a command, nil if the plan has none.
func (p *Plan) Command(name string) *Table {
	for i := range p.Commands {
		if p.Commands[i].Name == name {
			return &p.Commands[i]
		}
	}
	return nil
}

// All returns the tables of a command, in their order.
func (p *Plan) All(name string) (tables []*Table) {
	for i := range p.Commands {
		if p.Commands[i].Name == name {
			tables = append(tables, &p.Commands[i])
		}
	}
	return tables
}

// Error is what does not hold in a plan.
type Error struct {
	File string
	Place
	Text string
}

func (e *Error) Error() string {
	return fmt.Sprintf("%s line %d, column %d: %s", e.File, e.Line, e.Column, e.Text)
}

// Fail makes an error of a place in the plan.
func (p *Plan) Fail(at Place, format string, arguments ...any) *Error {
	return &Error{p.File, at, fmt.Sprintf(format, arguments...)}
}

// Parse reads a plan; file is what errors call it. The error is an *Error.
func Parse(file string, data []byte) (*Plan, error) {
	p := &Plan{File: file, Read: Table{Name: ReadTable, Place: Place{1, 1}},
		spans: make(map[Place][]span)}
	var whole map[string]any
	if err := toml.Unmarshal(data, &whole); err != nil { // for its checks of the whole
		var syntax *toml.DecodeError
		if errors.As(err, &syntax) {
			line, column := syntax.Position()
			return nil, p.Fail(Place{line, column}, "%s", plainReason(syntax.Error()))
		}
		return nil, p.Fail(Place{1, 1}, "%v", err)
	}
	r := reader{plan: p, data: data, table: &Table{}}
	if err := r.read(); err != nil {
		return nil, err
	}
	if r.version == nil {
		return nil, p.Fail(Place{1, 1}, "a plan begins with its version: write %s = %d in front", VersionKey, Version)
	}
	for i := range p.Shapes {
		if p.Shapes[i].Find(MatchKey) == nil && p.Shapes[i].Find(nameKey) == nil {
			return nil, p.Fail(p.Shapes[i].Place,
				"a shape needs a pattern of the files that have it, as %s = \"corvane_*\", or what their names "+
					"tell, as %s = \"Journal {entity}*\"", MatchKey, nameKey)
		}
	}
	return p, nil
}

func plainReason(text string) string {
	text = strings.TrimPrefix(text, "toml: ")
	if strings.Contains(text, "U+000A at start of value") {
		return "the line ends where a value should stand"
	}
	return text
}

// reader walks through a plan.
type reader struct {
	plan    *Plan
	data    []byte
	parser  unstable.Parser
	table   *Table // that the next keys belong to; an unnamed one at the top
	version *Entry
}

func (r *reader) read() error {
	r.parser.Reset(r.data)
	for r.parser.NextExpression() {
		e := r.parser.Expression()
		var err error
		switch e.Kind {
		case unstable.Table, unstable.ArrayTable:
			err = r.begin(e)
		case unstable.KeyValue:
			err = r.add(e)
		}
		if err != nil {
			return err
		}
	}
	if err := r.parser.Error(); err != nil {
		return r.plan.Fail(Place{1, 1}, "%v", err)
	}
	return nil
}

// keys returns the parts of a name, and where the first of them stands.
func (r *reader) keys(e *unstable.Node) (parts []string, at Place) {
	for keys := e.Key(); keys.Next(); {
		key := keys.Node()
		if parts == nil {
			start := r.parser.Shape(key.Raw).Start
			at = Place{start.Line, start.Column}
		}
		parts = append(parts, string(key.Data))
	}
	return parts, at
}

// begin begins a table.
func (r *reader) begin(e *unstable.Node) error {
	parts, at := r.keys(e)
	list := e.Kind == unstable.ArrayTable
	switch {
	case len(parts) == 1 && parts[0] == ReadTable && !list:
		r.plan.Read.Place = at
		r.table = &r.plan.Read
	case len(parts) == 2 && parts[0] == ReadTable && parts[1] == ShapeTable && list:
		r.plan.Shapes = append(r.plan.Shapes, Table{Name: ShapeTable, Place: at})
		r.table = &r.plan.Shapes[len(r.plan.Shapes)-1]
	case len(parts) == 1 && parts[0] != ReadTable:
		r.plan.Commands = append(r.plan.Commands, Table{Name: parts[0], Several: list, Place: at})
		r.table = &r.plan.Commands[len(r.plan.Commands)-1]
	case len(parts) == 2 && parts[0] == ReadTable && parts[1] == ShapeTable:
		return r.plan.Fail(at, "there may be several shapes, so each is written [[read.shape]]")
	case len(parts) == 1:
		return r.plan.Fail(at, "there is one table %s, written [%s]", parts[0], parts[0])
	default:
		return r.plan.Fail(at, "a plan has the tables [read], [[read.shape]] and one for each command")
	}
	return nil
}

// add adds a key to the table.
func (r *reader) add(e *unstable.Node) error {
	parts, at := r.keys(e)
	value, err := r.value(e.Value(), at, parts[0])
	if err != nil {
		return err
	}
	entry := Entry{Key: parts[0], Value: value, Place: at}
	r.plan.spans[at] = spansOf(e.Value())
	switch {
	case len(parts) > 1:
		return r.plan.Fail(at, "a key is one word here, and %q is none", joined(parts))
	case r.table.Name != "":
		r.table.Entries = append(r.table.Entries, entry)
	case entry.Key != VersionKey:
		return r.plan.Fail(at, "%q stands before all tables; only %s does", entry.Key, VersionKey)
	case value != int64(Version):
		return r.plan.Fail(at, "this plan is of version %v, and this Lastblock reads version %d", value, Version)
	default:
		r.version = &entry
	}
	return nil
}

// spansOf are where the texts of a value stand.
func spansOf(n *unstable.Node) (spans []span) {
	add := func(n *unstable.Node) {
		if n.Kind == unstable.String {
			start := int(n.Raw.Offset)
			spans = append(spans, span{start, start + int(n.Raw.Length)})
		}
	}
	add(n)
	if n.Kind == unstable.Array {
		for elements := n.Children(); elements.Next(); {
			add(elements.Node())
		}
	}
	return spans
}

func joined(parts []string) string {
	text := parts[0]
	for _, part := range parts[1:] {
		text += "." + part
	}
	return text
}

func (r *reader) value(n *unstable.Node, at Place, key string) (any, error) {
	switch n.Kind {
	case unstable.String:
		return string(n.Data), nil
	case unstable.Bool:
		return string(n.Data) == "true", nil
	case unstable.Integer:
		if value, err := strconv.ParseInt(string(n.Data), 0, 64); err == nil {
			return value, nil
		}
		return nil, r.plan.Fail(at, "%s is %s, and so large a number means nothing here", key, n.Data)
	case unstable.Array:
		list := []string{}
		for elements := n.Children(); elements.Next(); {
			element := elements.Node()
			if element.Kind == unstable.Comment {
				continue
			}
			if element.Kind != unstable.String {
				return nil, r.plan.Fail(at, "%s is a list, and a list holds texts in quotes", key)
			}
			list = append(list, string(element.Data))
		}
		return list, nil
	}
	return nil, r.plan.Fail(at, "%s has a value of a kind that no key has: it is a text in quotes, a whole number, "+
		"true or false, or a list of texts", key)
}
