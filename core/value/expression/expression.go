// Package expression evaluates expressions over the columns of a record, in
// the syntax of CEL (Common Expression Language, cel.dev). It differs from CEL
// in its values, which are those of an analyst: a number is an exact decimal,
// however it is written; there are dates; and a column is text until it is
// compared or calculated with a number or a date, and is then read as one.
package expression

import (
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"lastblock/core/value/date"

	"cel.dev/cel-go/common"
	"cel.dev/cel-go/parser"
)

// SyntaxError says where an expression does not hold, and why.
type SyntaxError struct {
	Text   string
	Column int // of Text, in characters from 1
	Reason string
}

func (e *SyntaxError) Error() string {
	return fmt.Sprintf("character %d of %q: %s\n  %s\n  %s^", e.Column, e.Text, e.Reason, e.Text,
		strings.Repeat(" ", e.Column-1))
}

// ValueError is a value of a record with which an expression cannot do what it
// says.
type ValueError struct {
	Column string // "" where it is in no column
	Found  string
	Wanted string
}

func (e *ValueError) Error() string {
	if e.Column == "" {
		return fmt.Sprintf("%q is not %s", e.Found, e.Wanted)
	}
	return fmt.Sprintf("%q in column %q is not %s", e.Found, e.Column, e.Wanted)
}

// Expression is an expression that holds. It may be evaluated by several
// goroutines at the same time.
type Expression struct {
	Text    string
	Columns []string // that it names, in the order in which it does
	Places  []int    // where each of them stands first, in characters from 1
	Dates   []int    // which of them are read as dates
	root    node
}

// Record is what an expression is evaluated on. All slices but Texts may be nil.
type Record struct {
	// Texts has the text of each of the expression's columns.
	Texts [][]byte
	// Decimal is the decimal mark of amounts in them, but where Plain says that it
	// is the point.
	Decimal byte
	Plain   []bool
	// Orders has the order of the dates in a column where that is known, else
	// date.Unclear.
	Orders []date.Order
	// Made has the values of columns that were computed before; nil for others.
	Made []*Value
	// Words says which columns are words of names of sources, and which ones, "" for others.
	Words []string
	// Lacks says which columns the record does not have.
	Lacks []bool

	// Missed are the columns that it lacks and whose values were asked for all the
	// same; they count as blank. Blanked says that a date was to be calculated with
	// where one is blank, so that the result is blank, too. Evaluating adds to them.
	Missed  []int
	Blanked bool
}

// value is what stands in a column.
func (r *Record) value(column int, name string) value {
	if r.lacks(column) {
		if !slices.Contains(r.Missed, column) {
			r.Missed = append(r.Missed, column)
		}
		return value{}
	}
	if column < len(r.Made) && r.Made[column] != nil {
		v := r.Made[column].value
		v.column = name
		return v
	}
	v := value{kind: columnKind, column: name, text: r.Texts[column], decimal: r.decimal(column),
		order: r.order(column)}
	if column < len(r.Words) {
		v.word = r.Words[column]
	}
	return v
}

func (r *Record) lacks(column int) bool { return column < len(r.Lacks) && r.Lacks[column] }

func (r *Record) order(column int) date.Order {
	if column < len(r.Orders) {
		return r.Orders[column]
	}
	return date.Unclear
}

func (r *Record) decimal(column int) byte {
	if column < len(r.Plain) && r.Plain[column] {
		return '.'
	}
	return r.Decimal
}

// Parse parses an expression. The error is a *SyntaxError.
func Parse(text string) (*Expression, error) {
	if strings.TrimSpace(text) == "" {
		return nil, &SyntaxError{text, 1, "there is no expression"}
	}
	p, err := parser.NewParser(parser.MaxRecursionDepth(100), parser.ExpressionSizeCodePointLimit(10_000))
	if err != nil {
		return nil, err
	}
	parsed, errs := p.Parse(common.NewTextSource(text))
	if found := errs.GetErrors(); len(found) > 0 {
		first := found[0]
		column := 1
		if first.Location != nil && first.Location.Line() == 1 {
			column = min(max(1, first.Location.Column()+1), utf8.RuneCountInString(text)+1)
		}
		return nil, &SyntaxError{text, column, plainReason(first.Message)}
	}
	c := compiler{text: text, info: parsed.SourceInfo(), expression: &Expression{Text: text}}
	if c.expression.root, err = c.compile(parsed.Expr()); err != nil {
		return nil, err
	}
	return c.expression, nil
}

// ParseCondition is Parse of an expression that is to be true or false; example is one, for an
// error.
func ParseCondition(text, example string) (*Expression, error) {
	x, err := Parse(text)
	if err == nil && !x.IsCondition() {
		err = fmt.Errorf("%q is neither true nor false; write for example '%s'", text, example)
	}
	return x, err
}

// plainReason makes the parser's message one that somebody can use who does
// not know how parsers are made.
func plainReason(message string) string {
	message = strings.TrimPrefix(message, "Syntax error: ")
	found, _, ok := strings.Cut(strings.TrimPrefix(message, "mismatched input "), " expecting")
	switch {
	case ok && found == "'<EOF>'":
		return "the expression ends where it should go on"
	case ok:
		return found + " does not belong here"
	case strings.HasPrefix(message, "token recognition error"):
		return "this is no sign that an expression has"
	case strings.HasPrefix(message, "extraneous input "), strings.HasPrefix(message, "missing "),
		strings.HasPrefix(message, "no viable alternative"):
		return "this does not belong here, or something is missing before it"
	}
	return message
}

// Holds evaluates the expression as a condition. The error is a *ValueError.
func (e *Expression) Holds(r *Record) (bool, error) {
	v, err := e.root.eval(r)
	if err != nil {
		return false, err
	}
	return v.asFlag()
}

// IsCondition tells whether the result may be true or false.
func (e *Expression) IsCondition() bool { return e.root.kind == flagKind || e.root.kind == columnKind }

// Form is that of the result, by the forms of the expression's columns.
func (e *Expression) Form(columns []Form) Form { return e.root.form(columns) }

// Eval evaluates the expression. A value that is to be of a kind by form, and is
// none, is an error, a *ValueError. The value is good as long as the record's texts.
func (e *Expression) Eval(r *Record, form Form) (Value, error) {
	v, err := e.root.eval(r)
	if err == nil {
		v, err = v.as(form.Kind)
	}
	return Value{v}, err
}
