package expression

import (
	"errors"
	"strings"
	"testing"

	"lastblock/core/record"
)

// recordOf makes a record of the columns that an expression names.
func recordOf(e *Expression, columns map[string]string, decimal byte) *Record {
	r := &Record{Decimal: decimal}
	for _, name := range e.Columns {
		r.Texts = append(r.Texts, []byte(columns[name]))
	}
	return r
}

// result evaluates an expression over columns that stand as they were sent.
func result(e *Expression, r *Record) (string, error) {
	forms := make([]Form, len(e.Columns))
	for i := range forms {
		forms[i] = Sent
	}
	v, err := e.Eval(r, e.Form(forms))
	return string(v.Append(nil)), err
}

var columns = map[string]string{
	"debit": "1,234.50", "credit": "", "account": "00417", "posted": "2031-02-28", "text": "Pass, winter", "ok": "yes",
	"Acct No": "7", "b.c": "12.345678901234567890123", "noted": "n/a", "due": "05.03.2031", "blank": " ", "qty": "3",
}

func TestConditions(t *testing.T) {
	for text, want := range map[string]bool{
		`debit > 1234.4999999999999999999`: true,
		`debit == 1234.5`:                  true,
		`b.c == 12.345678901234567890123`:  true,
		`b.c < 12.345678901234567890124`:   true,
		`0.1 + 0.2 == 0.3`:                 true,
		`account == "417"`:                 false,
		`account == 417`:                   true,
		`account == "00417" && text != ""`: true,
		`account in ["4000", "00417"]`:     true,
		`account in [1, 417.0]`:            true,
		`credit > 0 || credit <= 0`:        false, // blank is neither
		`credit == ""`:                     true,
		`blank == 0`:                       false,
		`blank == ""`:                      true, // as it is everywhere else
		`blank != ""`:                      false,
		`blank == credit`:                  true,
		`blank in ["", "x"]`:               true,
		`text == ""`:                       false,
		`blank == " " && credit != " "`:    true, // a text of the expression is what it says
		`upperAscii("zürich, ß") == "ZüRICH, ß" && lowerAscii("ÄRGER") == "Ärger"`: true,
		`posted >= date("2031-02-01") && posted < date("2031-03-01")`:              true,
		`date(posted) + 1 == date("2031-03-01")`:                                   true,
		`date(due) - date(posted) == 5`:                                            true,
		`due > posted`:                                                             true,
		`text.startsWith("Pass") && text.contains(",")`:                            true,
		`text.matches("^P.*r$") ? ok : false`:                                      true,
		`!(ok == true)`:                                                            false,
		`size(account) == 5`:                                                       true,
		`column("Acct No") * 2 == 14`:                                              true,
		`-qty < -2.5e0`:                                                            true,
		`lowerAscii(text) == "pass, winter"`:                                       true,
		`noted == "n/a" || noted > 5`:                                              true, // the right side is not looked at
		`debit > qty`:                                                              true,
	} {
		e, err := Parse(text)
		if err != nil {
			t.Errorf("%s: %v", text, err)
			continue
		}
		if got, err := e.Holds(recordOf(e, columns, '.')); err != nil || got != want {
			t.Errorf("%s is %v, %v, want %v", text, got, err, want)
		}
	}
}

func TestResults(t *testing.T) {
	for text, want := range map[string]string{
		`debit - credit`:             "1234.50",
		`credit - debit`:             "-1234.50",
		`credit + blank`:             "",
		`debit * 0.19`:               "234.5550",
		`round(debit * 0.19, 2)`:     "234.56",
		`qty / 7`:                    "0.4285714285714285714285714285714286",
		`round(qty / 8, 2)`:          "0.38",
		`date(posted) - 28`:          "2031-01-31",
		`account + "-" + text`:       "00417-Pass, winter",
		`string(qty * 2) + "x"`:      "6x",
		`credit == "" ? "D" : "C"`:   "D",
		`qty == 0x3 ? "hex" : "no"`:  "hex",
		`qty + 0x10`:                 "19",
		`-0x10`:                      "-16",
		`qty + 2u`:                   "5",
		`1e3 + qty`:                  "1003",
		`1.50`:                       "1.50",
		`date(blank) - date(posted)`: "", // blank in, blank out
		`date(posted) - date(blank)`: "",
		`date(blank) + 30`:           "",
		`date(posted) + blank`:       "",
		`date(posted) - blank`:       "",
		`blank + date(posted)`:       "",
		`date(blank)`:                "",
		`round(blank, 2)`:            "",
		`decimal(blank)`:             "",
		`blank * 2`:                  "",
		`-blank`:                     "",
		`qty > 2 ? qty : ""`:         "3",
		`(qty > 5 ? qty : "") + 1`:   "1",
		`qty > 5 ? qty * 2 : ""`:     "",
		`string(date(posted))`:       "2031-02-28",
		`trim(blank) + "x"`:          "x",
		`has(debit) ? debit : qty`:   "1,234.50",
		`-9223372036854775808 - 1`:   "-9223372036854775809",
		`123456789012345678 * 1000`:  "123456789012345678000",
	} {
		e, err := Parse(text)
		if err != nil {
			t.Errorf("%s: %v", text, err)
			continue
		}
		if got, err := result(e, recordOf(e, columns, '.')); err != nil || got != want {
			t.Errorf("%s is %q, %v, want %q", text, got, err, want)
		}
	}
	e, err := Parse("a + 1")
	if err != nil {
		t.Fatal(err)
	}
	if got, err := result(e, recordOf(e, map[string]string{"a": "1.234,50"}, ',')); err != nil || got != "1235.50" {
		t.Errorf("with a decimal comma it is %q, %v", got, err)
	}
}

func TestExpressionsThatDoNotHold(t *testing.T) {
	for text, want := range map[string]struct {
		column int
		reason string
	}{
		`debit >`:                     {8, "ends where it should go on"},
		`debit > > 3`:                 {9, "does not belong here"},
		`debit = 3`:                   {7, "no sign"},
		`1 + true`:                    {5, "true or false is of no use here"},
		`sise(text) > 3`:              {5, "did you mean size?"},
		`text == "a`:                  {9, ""},
		`posted > date("x")`:          {14, "not a date"},
		`text.matches("(")`:           {13, "missing closing"},
		`qty in 3`:                    {5, "needs a list"},
		`[qty] == [1]`:                {2, "no columns"},
		`"a" < 3`:                     {5, "cannot be compared"},
		``:                            {1, "no expression"},
		`qty % 2`:                     {5, "has no meaning"},
		`round(qty, 1.5)`:             {6, "how many decimals"},
		`1 / 0 == 1`:                  {3, "divide"},
		`[1,2].map(x, x) == 1`:        {10, ""},
		`0x`:                          {2, ""},
		`qty == 0xFFFFFFFFFFFFFFFFFF`: {8, ""},
		`99999999999999999999 == qty`: {1, ""},
		`has(1)`:                      {4, "has needs the name"},
		`has(a, b)`:                   {4, "has needs the name"},
		`qty > 1 ? qty * 2 : "n/a"`:   {9, "string(…) makes a text"},
	} {
		_, err := Parse(text)
		var syntax *SyntaxError
		if !errors.As(err, &syntax) {
			t.Errorf("%s: error is %v", text, err)
			continue
		}
		if syntax.Column != want.column || !strings.Contains(syntax.Reason, want.reason) {
			t.Errorf("%s: column %d, %s", text, syntax.Column, syntax.Reason)
		}
	}
}

func TestValuesThatCannotBeUsed(t *testing.T) {
	for text, want := range map[string]ValueError{
		`noted > 5`:           {"noted", "n/a", "an amount"},
		`noted - qty`:         {"noted", "n/a", "an amount"},
		`date(text) > posted`: {"text", "Pass, winter", "a date"},
		`text && ok`:          {"text", "Pass, winter", "true or false"},
		`qty / (qty - 3) > 1`: {"", "0", "an amount to divide by"},
	} {
		e, err := Parse(text)
		if err != nil {
			t.Errorf("%s: %v", text, err)
			continue
		}
		_, err = e.Holds(recordOf(e, columns, '.'))
		var bad *ValueError
		if !errors.As(err, &bad) || *bad != want {
			t.Errorf("%s: error is %v, want %v", text, err, &want)
		}
	}
}

// What a column that was computed before is, it stays: 2750 is no text that could be
// read as 2.750.
func TestMadeValuesKeepTheirKind(t *testing.T) {
	parse := func(text string) *Expression {
		e, err := Parse(text)
		if err != nil {
			t.Fatal(err)
		}
		return e
	}
	first := parse(`b * 2`)
	made, err := first.Eval(&Record{Texts: [][]byte{[]byte("1,375")}, Decimal: ','}, first.Form([]Form{Sent}))
	if err != nil {
		t.Fatal(err)
	}
	for text, want := range map[string]string{`x + 0`: "2.750", `x`: "2.750", `x.contains(".7") ? "yes" : "no"`: "yes",
		`string(x) + "!"`: "2.750!", `x == 2.75 ? 1 : 0`: "1"} {
		e := parse(text)
		v, err := e.Eval(&Record{Texts: [][]byte{nil}, Decimal: ',', Made: []*Value{&made}},
			e.Form([]Form{first.Form([]Form{Sent})}))
		if got := string(v.Append(nil)); err != nil || got != want {
			t.Errorf("%s is %q, %v, want %q", text, got, err, want)
		}
	}
}

func TestForms(t *testing.T) {
	amounts, dates := Form{Kind: record.Amount}, Form{Kind: record.Date}
	text := Form{Kind: record.Text}
	for _, c := range []struct {
		text string
		a    Form // of the first column; all others are as sent
		want Form
	}{
		{`a`, Sent, Sent},
		{`a`, amounts, amounts},
		{`sh == "S" ? a : ""`, Sent, Form{Kind: record.Text, AsSent: true}},
		{`a == a && sh == "S" ? a : ""`, amounts, amounts},
		{`a == a && sh == "S" ? null : a`, amounts, amounts},
		{`a == 1 ? a : b`, amounts, amounts}, // b is read as an amount then
		{`a == 1 ? b : a`, amounts, amounts},
		{`a == a ? a : ""`, dates, dates},
		{`a + b`, Sent, amounts},
		{`trim(a)`, Sent, Sent},
		{`"-" + a`, Sent, Sent},
		{`string(a)`, amounts, text},
		{`string(a + 1)`, Sent, text},
		{`a == 1`, Sent, Form{Kind: record.Flag}},
		{`date(a)`, Sent, dates},
		{`"x"`, Sent, text},
	} {
		e, err := Parse(c.text)
		if err != nil {
			t.Fatal(err)
		}
		forms := make([]Form, len(e.Columns))
		for i, name := range e.Columns {
			if forms[i] = Sent; name == "a" {
				forms[i] = c.a
			}
		}
		if got := e.Form(forms); got != c.want {
			t.Errorf("%s over %v is %v, want %v", c.text, c.a, got, c.want)
		}
	}
}

// A column that a record lacks is missed where its value is asked for, and not where
// has asks first, or in a branch that is not taken.
func TestMissed(t *testing.T) {
	for text, want := range map[string]string{
		`debit - credit`:                          "debit",
		`has(debit) ? debit - credit : haben`:     "",
		`has(credit) ? debit : credit`:            "debit",
		`credit == "5" || debit == "5"`:           "",
		`credit == "6" && debit == "5"`:           "",
		`credit == "6" || debit == "5"`:           "debit",
		`has(column("debit")) ? "there" : credit`: "",
		`!has(debit)`:                             "",
	} {
		e, err := Parse(text)
		if err != nil {
			t.Fatal(err)
		}
		r := recordOf(e, map[string]string{"credit": "5", "haben": "7"}, '.')
		for _, name := range e.Columns {
			r.Lacks = append(r.Lacks, name == "debit")
		}
		if _, err := result(e, r); err != nil {
			t.Fatal(err)
		}
		var missed string
		for _, i := range r.Missed {
			missed += e.Columns[i]
		}
		if missed != want {
			t.Errorf("%s misses %q, want %q", text, missed, want)
		}
	}
}

func FuzzParse(f *testing.F) {
	for _, text := range []string{`a > 1 && b.c in ["x"]`, `round(a/3, 2)`, `a ? date(b) - 1 : c`, `"\u00e4" + a`,
		`-1e5.x`, `a[1]`, `{a: 1}`, `has(a.b)`} {
		f.Add(text)
	}
	f.Fuzz(func(t *testing.T, text string) {
		e, err := Parse(text)
		if err != nil {
			var syntax *SyntaxError
			if !errors.As(err, &syntax) || syntax.Column < 1 {
				t.Errorf("%q: %v", text, err)
			}
			return
		}
		for _, value := range []string{"", "x", "12.50", "2031-01-31", "true"} {
			r := &Record{Decimal: '.'}
			for range e.Columns {
				r.Texts = append(r.Texts, []byte(value))
			}
			result(e, r)
			e.Holds(r)
		}
	})
}
