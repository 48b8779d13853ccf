package expression

import (
	"bytes"
	"cmp"
	"fmt"
	"regexp"
	"unicode/utf8"

	"lastblock/core/value/amount"

	"cel.dev/cel-go/common/operators"
)

// function is an operator or a function of expressions.
type function struct {
	least, most int
	usage       string
	takes       func(kind) bool
	check       func([]node) string // why the arguments do not go together, "" if they do
	result      func([]node) kind
	form        func([]node) func([]Form) Form // nil: that of result
	make        func([]node) func(*Record) (value, error)
}

func anyKind(k kind) bool            { return k != listKind }
func flagLike(k kind) bool           { return k == flagKind || k == columnKind || k == blankKind }
func textLike(k kind) bool           { return k == textKind || k == columnKind || k == blankKind }
func numberLike(k kind) bool         { return k == numberKind || k == columnKind || k == blankKind }
func gives(k kind) func([]node) kind { return func([]node) kind { return k } }

var functions map[string]function

func init() {
	condition := func(usage string, most int, make func([]node) func(*Record) (value, error)) function {
		return function{least: most, most: most, usage: usage, takes: flagLike, result: gives(flagKind), make: make}
	}
	onTexts := func(usage string, f func(a, b []byte) bool) function {
		return function{least: 2, most: 2, usage: usage, takes: textLike, result: gives(flagKind),
			make: func(n []node) func(*Record) (value, error) {
				return func(r *Record) (value, error) {
					a, b, err := both(n, r)
					return value{kind: flagKind, flag: err == nil && f(a.asText(), b.asText())}, err
				}
			}}
	}
	onText := func(usage string, result kind, f func(text []byte) value) function {
		return function{least: 1, most: 1, usage: usage, takes: textLike, result: gives(result),
			make: func(n []node) func(*Record) (value, error) {
				return func(r *Record) (value, error) {
					v, err := n[0].eval(r)
					made := f(v.asText())
					made.decimal = v.decimal
					return made, err
				}
			}}
	}
	toText := func(usage string, f func([]byte) []byte) function {
		made := onText(usage, textKind, func(t []byte) value { return value{kind: textKind, text: f(t)} })
		made.form = textForm
		return made
	}
	functions = map[string]function{
		operators.LogicalNot: condition("! needs true or false behind it", 1,
			func(n []node) func(*Record) (value, error) {
				return func(r *Record) (value, error) {
					v, err := n[0].eval(r)
					if err != nil {
						return v, err
					}
					flag, err := v.asFlag()
					return value{kind: flagKind, flag: !flag}, err
				}
			}),
		operators.LogicalAnd: condition("&& needs true or false on both sides", 2, shortCut(false)),
		operators.LogicalOr:  condition("|| needs true or false on both sides", 2, shortCut(true)),
		operators.Conditional: {least: 3, most: 3, takes: anyKind, check: checkConditional, result: branchKind,
			form: eitherForm, make: conditional},
		operators.Equals:        comparison(func(order int) bool { return order == 0 }, true),
		operators.NotEquals:     comparison(func(order int) bool { return order != 0 }, true),
		operators.Less:          comparison(func(order int) bool { return order < 0 }, false),
		operators.LessEquals:    comparison(func(order int) bool { return order <= 0 }, false),
		operators.Greater:       comparison(func(order int) bool { return order > 0 }, false),
		operators.GreaterEquals: comparison(func(order int) bool { return order >= 0 }, false),
		operators.Add: {least: 2, most: 2, takes: func(k kind) bool { return k != listKind && k != flagKind },
			check: checkAdd, result: addResult, form: sumForm, make: add},
		operators.Subtract: {least: 2, most: 2, usage: "- needs numbers, columns or dates",
			takes: func(k kind) bool { return numberLike(k) || k == dateKind }, result: subtractResult, make: subtract},
		operators.Multiply: arithmetic("* needs numbers or columns",
			func(a, b amount.Amount) (amount.Amount, bool) { return a.Mul(b), true }),
		operators.Divide: arithmetic("/ needs numbers or columns", amount.Amount.Quo),
		operators.Negate: {least: 1, most: 1, usage: "- needs a number or a column behind it", takes: numberLike,
			result: gives(numberKind), make: func(n []node) func(*Record) (value, error) {
				return func(r *Record) (value, error) {
					v, err := n[0].eval(r)
					if err != nil || v.isBlank() {
						return value{}, err
					}
					number, err := v.asNumber()
					return value{kind: numberKind, number: number.Neg()}, err
				}
			}},
		operators.In: {least: 2, most: 2, usage: "'in' needs a list on its right, as account in [\"4000\", \"4100\"]",
			takes: func(kind) bool { return true },
			check: func(n []node) string {
				if n[0].kind == listKind || n[1].kind != listKind {
					return `'in' needs a list on its right, as account in ["4000", "4100"]`
				}
				return ""
			}, result: gives(flagKind), make: in},
		"contains":   onTexts("contains needs a text, as text.contains(\"pass\")", bytes.Contains),
		"startsWith": onTexts("startsWith needs a text, as account.startsWith(\"40\")", bytes.HasPrefix),
		"endsWith":   onTexts("endsWith needs a text, as document.endsWith(\"-2\")", bytes.HasSuffix),
		"matches": {least: 2, most: 2, usage: "matches needs a regular expression (RE2) in quotes", takes: textLike,
			check: func(n []node) string {
				if n[1].constant == nil {
					return "matches needs a regular expression (RE2) in quotes"
				}
				if _, err := regexp.Compile(string(n[1].constant.text)); err != nil {
					return err.Error()
				}
				return ""
			}, result: gives(flagKind), make: func(n []node) func(*Record) (value, error) {
				form := regexp.MustCompile(string(n[1].constant.text))
				return func(r *Record) (value, error) {
					v, err := n[0].eval(r)
					return value{kind: flagKind, flag: form.Match(v.asText())}, err
				}
			}},
		"size": onText("size needs a text", numberKind, func(t []byte) value {
			return value{kind: numberKind, number: amount.New(int64(utf8.RuneCount(t)), 0)}
		}),
		"trim":       toText("trim needs a text", bytes.TrimSpace),
		"lowerAscii": toText("lowerAscii needs a text", lowerASCII),
		"upperAscii": toText("upperAscii needs a text", upperASCII),
		"string": {least: 1, most: 1, usage: "string needs one value", takes: anyKind, result: gives(textKind),
			form: textForm, make: func(n []node) func(*Record) (value, error) {
				return func(r *Record) (value, error) {
					v, err := n[0].eval(r)
					return value{kind: textKind, text: v.append(nil), decimal: v.decimal}, err
				}
			}},
		"decimal": {least: 1, most: 1, usage: "decimal needs a column or a text",
			takes: func(k kind) bool { return numberLike(k) || k == textKind }, result: gives(numberKind),
			make: func(n []node) func(*Record) (value, error) {
				return func(r *Record) (value, error) {
					v, err := n[0].eval(r)
					if err != nil || v.isBlank() {
						return value{}, err
					}
					number, err := v.asNumber()
					return value{kind: numberKind, number: number}, err
				}
			}},
		"date": {least: 1, most: 1, usage: "date needs a column, or a text as \"2031-01-31\"",
			takes: func(k kind) bool { return textLike(k) || k == dateKind }, result: gives(dateKind),
			make: func(n []node) func(*Record) (value, error) {
				return func(r *Record) (value, error) {
					v, err := n[0].eval(r)
					if err != nil || v.isBlank() {
						return value{}, err
					}
					days, err := v.asDate()
					return value{kind: dateKind, days: days}, err
				}
			}},
		"round": {least: 2, most: 2, usage: "round needs a number and how many decimals, as round(amount * 0.2, 2)",
			takes: numberLike, check: func(n []node) string {
				if n[1].constant == nil || n[1].constant.number.Scale() > 0 || n[1].constant.number.Sign() < 0 {
					return "round needs a number and how many decimals, as round(amount * 0.2, 2)"
				}
				return ""
			}, result: gives(numberKind), make: func(n []node) func(*Record) (value, error) {
				places := 0
				for amount.New(int64(places), 0).Cmp(n[1].constant.number) < 0 && places < 100 {
					places++
				}
				return func(r *Record) (value, error) {
					v, err := n[0].eval(r)
					if err != nil || v.isBlank() {
						return value{}, err
					}
					number, err := v.asNumber()
					return value{kind: numberKind, number: number.Round(places)}, err
				}
			}},
	}
}

func both(n []node, r *Record) (a, b value, err error) {
	if a, err = n[0].eval(r); err == nil {
		b, err = n[1].eval(r)
	}
	return a, b, err
}

// shortCut evaluates && and ||; the right side is evaluated only where it
// matters.
func shortCut(decided bool) func([]node) func(*Record) (value, error) {
	return func(n []node) func(*Record) (value, error) {
		return func(r *Record) (value, error) {
			for _, side := range n {
				v, err := side.eval(r)
				if err != nil {
					return v, err
				}
				flag, err := v.asFlag()
				if err != nil || flag == decided {
					return value{kind: flagKind, flag: flag}, err
				}
			}
			return value{kind: flagKind, flag: !decided}, nil
		}
	}
}

func checkConditional(n []node) string {
	if !flagLike(n[0].kind) {
		return "? needs true or false before it"
	}
	return checkBranches(n)
}

func conditional(n []node) func(*Record) (value, error) {
	for i := range n[1:] {
		if branch := &n[1+i]; branch.isNothing() {
			branch.eval = func(*Record) (value, error) { return value{}, nil }
		}
	}
	return func(r *Record) (value, error) {
		v, err := n[0].eval(r)
		if err != nil {
			return v, err
		}
		flag, err := v.asFlag()
		if err != nil {
			return v, err
		}
		if flag {
			return n[1].eval(r)
		}
		return n[2].eval(r)
	}
}

// comparison compares two values. A blank one is neither smaller nor larger
// than anything, and equal to blank alone.
func comparison(holds func(order int) bool, equality bool) function {
	return function{least: 2, most: 2, usage: "values are compared here", takes: anyKind, check: checkComparison,
		result: gives(flagKind), make: func(n []node) func(*Record) (value, error) {
			return func(r *Record) (value, error) {
				a, b, err := both(n, r)
				if err != nil {
					return a, err
				}
				result := value{kind: flagKind}
				if equality {
					same, err := equal(&a, &b)
					result.flag = same == holds(0)
					return result, err
				}
				if a.isBlank() || b.isBlank() {
					return result, nil
				}
				by, err := order(&a, &b)
				result.flag = holds(by)
				return result, err
			}
		}}
}

// checkComparison refuses values that can never be compared.
func checkComparison(n []node) string {
	a, b := n[0].kind, n[1].kind
	if a == columnKind || b == columnKind || a == blankKind || b == blankKind || a == b {
		return ""
	}
	return fmt.Sprintf("%s cannot be compared with %s", a, b)
}

func checkAdd(n []node) string {
	a, b := n[0].kind, n[1].kind
	if a == dateKind && b == dateKind {
		return "two dates cannot be added"
	}
	if a == textKind && b == numberKind || a == numberKind && b == textKind {
		return "a text and a number cannot be added; string(…) makes a text of a number"
	}
	return ""
}

func addResult(n []node) kind {
	for _, k := range []kind{textKind, dateKind} {
		if n[0].kind == k || n[1].kind == k {
			return k
		}
	}
	return numberKind
}

// add adds numbers, joins texts, or adds days to a date. A blank amount adds
// nothing; two of them are blank together. With a date, blank in is blank out.
func add(n []node) func(*Record) (value, error) {
	dated := hasDate(n)
	return func(r *Record) (value, error) {
		a, b, err := both(n, r)
		if err != nil {
			return a, err
		}
		switch {
		case a.kind == textKind || b.kind == textKind:
			return value{kind: textKind, text: b.append(a.append(nil)), decimal: cmp.Or(a.decimal, b.decimal)}, nil
		case (dated || a.kind == dateKind || b.kind == dateKind) && (a.isBlank() || b.isBlank()):
			r.Blanked = true
			return value{}, nil
		case a.kind == dateKind:
			return addDays(&a, &b, 1)
		case b.kind == dateKind:
			return addDays(&b, &a, 1)
		}
		return calculate(&a, &b, amount.Amount.Add)
	}
}

func subtractResult(n []node) kind {
	if n[0].kind == dateKind && n[1].kind != dateKind {
		return dateKind
	}
	return numberKind
}

// hasDate tells whether a date is calculated with, be it blank.
func hasDate(n []node) bool { return n[0].kind == dateKind || n[1].kind == dateKind }

func subtract(n []node) func(*Record) (value, error) {
	dated := hasDate(n)
	return func(r *Record) (value, error) {
		a, b, err := both(n, r)
		switch {
		case err != nil:
			return a, err
		case (dated || a.kind == dateKind || b.kind == dateKind) && (a.isBlank() || b.isBlank()):
			r.Blanked = true
			return value{}, nil
		case b.kind == dateKind:
			days, err := a.asDate()
			return value{kind: numberKind, number: amount.New(int64(days-b.days), 0)}, err
		case a.kind == dateKind:
			return addDays(&a, &b, -1)
		}
		return calculate(&a, &b, amount.Amount.Sub)
	}
}

// addDays adds a whole number of days to a date.
func addDays(day, number *value, sign int) (value, error) {
	n, err := number.asNumber()
	if err != nil {
		return value{}, err
	}
	whole := n.Round(0)
	if whole.Cmp(n) != 0 || whole.Cmp(amount.New(mostDays, 0)) > 0 || whole.Cmp(amount.New(-mostDays, 0)) < 0 {
		return value{}, number.fail("a number of days")
	}
	days, _ := whole.Int64()
	return value{kind: dateKind, days: day.days + sign*int(days)}, nil
}

const mostDays = 4_000_000 // more than all years of four digits have

// calculate adds or subtracts; a blank side counts as zero.
func calculate(a, b *value, f func(a, b amount.Amount) amount.Amount) (value, error) {
	if a.isBlank() && b.isBlank() {
		return value{}, nil
	}
	var x, y amount.Amount
	var err error
	if !a.isBlank() {
		if x, err = a.asNumber(); err != nil {
			return value{}, err
		}
	}
	if !b.isBlank() {
		if y, err = b.asNumber(); err != nil {
			return value{}, err
		}
	}
	return value{kind: numberKind, number: f(x, y)}, nil
}

// arithmetic multiplies or divides; what is blank makes the result blank.
func arithmetic(usage string, f func(a, b amount.Amount) (amount.Amount, bool)) function {
	return function{least: 2, most: 2, usage: usage, takes: numberLike, result: gives(numberKind),
		make: func(n []node) func(*Record) (value, error) {
			return func(r *Record) (value, error) {
				a, b, err := both(n, r)
				if err != nil || a.isBlank() || b.isBlank() {
					return value{}, err
				}
				x, err := a.asNumber()
				if err != nil {
					return value{}, err
				}
				y, err := b.asNumber()
				if err != nil {
					return value{}, err
				}
				result, ok := f(x, y)
				if !ok {
					return value{}, b.fail("an amount to divide by")
				}
				return value{kind: numberKind, number: result}, nil
			}
		}}
}

func in(n []node) func(*Record) (value, error) {
	list := n[1].constant.list
	return func(r *Record) (value, error) {
		v, err := n[0].eval(r)
		result := value{kind: flagKind}
		for i := range list {
			if err != nil || result.flag {
				break
			}
			result.flag, err = equal(&v, &list[i])
		}
		return result, err
	}
}

// lowerASCII makes small letters of capital ones, of A to Z alone, as CEL's extension of strings has it.
func lowerASCII(text []byte) []byte { return mapped(text, 'A', 'Z', 'a'-'A') }

func upperASCII(text []byte) []byte { return mapped(text, 'a', 'z', 'A'-'a') }

// mapped moves the bytes from one to another by some places.
func mapped(text []byte, from, to byte, by int) []byte {
	out := bytes.Clone(text)
	for i, c := range out {
		if from <= c && c <= to {
			out[i] = byte(int(c) + by)
		}
	}
	return out
}
