package expression

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"lastblock/core/value/amount"
	"lastblock/core/value/nearest"

	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/operators"
	"cel.dev/cel-go/common/types"
)

// node is a part of an expression: how it is evaluated, and what comes out as
// far as that is known before.
type node struct {
	kind     kind
	eval     func(*Record) (value, error)
	form     func(columns []Form) Form // of what comes out, by the forms of the columns
	constant *value                    // where it does not depend on the record
	column   int                       // of a column, from 1
}

func fixed(v value) node {
	return node{kind: v.kind, eval: func(*Record) (value, error) { return v, nil }, form: formOf(v.kind), constant: &v}
}

// isNothing tells whether a node is written as a blank: null, or "".
func (n *node) isNothing() bool {
	return n.constant != nil && (n.constant.isBlank() || n.constant.kind == textKind && len(n.constant.text) == 0)
}

type compiler struct {
	text       string
	info       *ast.SourceInfo
	expression *Expression
}

// place is where a part of the expression stands, in characters from 1.
func (c *compiler) place(e ast.Expr) int {
	if at, ok := c.info.GetOffsetRange(e.ID()); ok {
		return int(at.Start) + 1
	}
	return 1
}

func (c *compiler) fail(e ast.Expr, format string, arguments ...any) (node, error) {
	return node{}, &SyntaxError{c.text, c.place(e), fmt.Sprintf(format, arguments...)}
}

func (c *compiler) compile(e ast.Expr) (node, error) {
	switch e.Kind() {
	case ast.LiteralKind:
		return c.literal(e)
	case ast.IdentKind:
		return c.column(e, e.AsIdent()), nil
	case ast.SelectKind:
		if name, ok := selected(e); ok {
			return c.column(e, name), nil
		}
		return c.fail(e, "a column's name is meant here")
	case ast.ListKind:
		return c.listOf(e)
	case ast.CallKind:
		return c.call(e)
	}
	return c.fail(e, "this part of CEL has no meaning for records")
}

// selected reads a.b.c, which is how columns within columns are called.
func selected(e ast.Expr) (string, bool) {
	if e.Kind() == ast.IdentKind {
		return e.AsIdent(), true
	}
	if e.Kind() != ast.SelectKind || e.AsSelect().IsTestOnly() {
		return "", false
	}
	before, ok := selected(e.AsSelect().Operand())
	return before + "." + e.AsSelect().FieldName(), ok
}

// index is that of a column among those that the expression names.
func (c *compiler) index(e ast.Expr, name string) int {
	x := c.expression
	at := slices.Index(x.Columns, name)
	if at < 0 {
		at = len(x.Columns)
		x.Columns = append(x.Columns, name)
		x.Places = append(x.Places, c.place(e))
	}
	return at
}

func (c *compiler) column(e ast.Expr, name string) node {
	at := c.index(e, name)
	return node{kind: columnKind, column: at + 1, form: func(columns []Form) Form { return columns[at] },
		eval: func(r *Record) (value, error) {
			return r.value(at, name), nil
		}}
}

// has tells whether a record has a column at all, be it blank. It is CEL's way to
// ask for one that may be missing.
func (c *compiler) has(e ast.Expr) (node, error) {
	const usage = `has needs the name of a column, as has(debit) or has(column("Acct No"))`
	arguments := e.AsCall().Args()
	if len(arguments) != 1 || e.AsCall().IsMemberFunction() {
		return c.fail(e, usage)
	}
	name, ok := selected(arguments[0])
	if !ok {
		if name, ok = quotedName(arguments[0]); !ok {
			return c.fail(e, usage)
		}
	}
	at := c.index(arguments[0], name)
	return node{kind: flagKind, form: formOf(flagKind), eval: func(r *Record) (value, error) {
		return value{kind: flagKind, flag: !r.lacks(at)}, nil
	}}, nil
}

// literal reads what is written in the expression. A whole number is the one that the
// parser has read, be it hexadecimal; any other number is taken from its text, digit
// by digit, since the parser has made it a floating point number.
func (c *compiler) literal(e ast.Expr) (node, error) {
	switch literal := e.AsLiteral().(type) {
	case types.String:
		return fixed(value{kind: textKind, text: []byte(literal)}), nil
	case types.Bool:
		return fixed(value{kind: flagKind, flag: bool(literal)}), nil
	case types.Null:
		return fixed(value{kind: blankKind}), nil
	case types.Int:
		return fixed(value{kind: numberKind, number: amount.New(int64(literal), 0)}), nil
	case types.Uint:
		return c.number(e, strconv.FormatUint(uint64(literal), 10))
	case types.Double:
		at, ok := c.info.GetOffsetRange(e.ID())
		runes := []rune(c.text)
		if !ok || int(at.Start) >= len(runes) {
			return c.fail(e, "this number cannot be read")
		}
		return c.number(e, numberForm.FindString(string(runes[at.Start:])))
	}
	return c.fail(e, "this kind of value has no meaning for records")
}

// number reads a decimal number.
func (c *compiler) number(e ast.Expr, text string) (node, error) {
	number, err := amount.Parse(amount.AppendPlain(nil, []byte(text), 0), '.')
	if err != nil {
		return c.fail(e, "%s is no decimal number", text)
	}
	return fixed(value{kind: numberKind, number: number}), nil
}

var numberForm = regexp.MustCompile(`^-?[0-9]*\.?[0-9]*([eE][-+]?[0-9]+)?`)

func (c *compiler) listOf(e ast.Expr) (node, error) {
	list := value{kind: listKind}
	for _, element := range e.AsList().Elements() {
		n, err := c.compile(element)
		if err != nil {
			return n, err
		}
		if n.constant == nil {
			return c.fail(element, "a list holds texts, numbers or dates, and no columns")
		}
		list.list = append(list.list, *n.constant)
	}
	return fixed(list), nil
}

// call compiles an operator or a function.
func (c *compiler) call(e ast.Expr) (node, error) {
	call := e.AsCall()
	name := call.FunctionName()
	switch name {
	case "column":
		return c.namedColumn(e)
	case "has":
		return c.has(e)
	}
	var arguments []node
	parts := call.Args()
	if call.IsMemberFunction() {
		parts = append([]ast.Expr{call.Target()}, parts...)
	}
	for _, part := range parts {
		n, err := c.compile(part)
		if err != nil {
			return n, err
		}
		arguments = append(arguments, n)
	}
	f, known := functions[name]
	if !known {
		shown := name
		if operator, ok := operators.FindReverse(name); ok {
			return c.fail(e, "%q has no meaning for records", operator)
		}
		var names []string
		for name := range functions {
			if _, isOperator := operators.FindReverse(name); !isOperator && !strings.Contains(name, "_") &&
				name[0] != '@' {
				names = append(names, name)
			}
		}
		slices.Sort(names)
		text := ""
		if near, ok := nearest.To(shown, names); ok {
			text = fmt.Sprintf("; did you mean %s?", near)
		}
		return c.fail(e, "there is no function %s%s there is: column, has, %s", shown, text, strings.Join(names, ", "))
	}
	if len(arguments) < f.least || len(arguments) > f.most {
		return c.fail(e, "%s needs %s", name, f.usage)
	}
	for i, argument := range arguments {
		if !f.takes(argument.kind) {
			return c.fail(parts[i], "%s is of no use here: %s", argument.kind, f.usage)
		}
	}
	if f.check != nil {
		if reason := f.check(arguments); reason != "" {
			return c.fail(e, "%s", reason)
		}
	}
	c.noteDates(name, arguments)
	n := node{kind: f.result(arguments), eval: f.make(arguments)}
	if n.form = formOf(n.kind); f.form != nil {
		n.form = f.form(arguments)
	}
	if slices.ContainsFunc(arguments, func(a node) bool { return a.constant == nil }) {
		return n, nil
	}
	v, err := n.eval(new(Record)) // the same for all records
	if err != nil {
		return c.fail(e, "%v", err)
	}
	return fixed(v), nil
}

// noteDates notes which columns are read as dates: what stands beside a date,
// or is made one.
func (c *compiler) noteDates(name string, arguments []node) {
	dated := name == "date" || slices.ContainsFunc(arguments, func(a node) bool { return a.kind == dateKind })
	for _, a := range arguments {
		if at := a.column - 1; dated && at >= 0 && !slices.Contains(c.expression.Dates, at) {
			c.expression.Dates = append(c.expression.Dates, at)
		}
	}
}

// namedColumn reads column("Acct No"), for names that are no words.
func (c *compiler) namedColumn(e ast.Expr) (node, error) {
	if name, ok := quotedName(e); ok {
		return c.column(e, name), nil
	}
	return c.fail(e, `column needs a name in quotes, as column("Acct No")`)
}

func quotedName(e ast.Expr) (string, bool) {
	if e.Kind() != ast.CallKind || e.AsCall().FunctionName() != "column" {
		return "", false
	}
	arguments := e.AsCall().Args()
	if len(arguments) != 1 || arguments[0].Kind() != ast.LiteralKind {
		return "", false
	}
	name, ok := arguments[0].AsLiteral().(types.String)
	return string(name), ok
}
