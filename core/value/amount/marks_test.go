package amount

import "testing"

func TestMarks(t *testing.T) {
	for text, want := range map[string]Marks{
		"1,234.50": {Point: 1}, "12.5": {Point: 1}, "1,234,567": {Point: 1}, "0.500": {Point: 1}, ".125": {Point: 1},
		"1234.567": {Point: 1}, "(1,234.50)": {Point: 1}, "1 234.500": {Point: 1},
		"1.234,50": {Comma: 1}, "12,5": {Comma: 1}, "1.234.567": {Comma: 1}, "0,500": {Comma: 1}, "€ 7,00-": {Comma: 1},
		"1.234": {Unclear: 1}, "1,234": {Unclear: 1}, "-12,345 EUR": {Unclear: 1},
		"1234": {}, "": {}, "01.02.2031": {}, "a.b": {}, "1.2.3": {},
	} {
		var got Marks
		if got.Add([]byte(text)); got != want {
			t.Errorf("%q gives %+v, want %+v", text, got, want)
		}
	}
}

func TestMarksDecide(t *testing.T) {
	for _, c := range []struct {
		marks  Marks
		mark   byte
		proven bool
	}{
		{Marks{}, '.', false},
		{Marks{Unclear: 3}, '.', false},
		{Marks{Comma: 1, Unclear: 3}, ',', true},
		{Marks{Comma: 1, Point: 2}, '.', true},
		{Marks{Comma: 2, Point: 2}, '.', false},
	} {
		if mark, proven := c.marks.Decimal(); mark != c.mark || proven != c.proven {
			t.Errorf("%+v gives %q, %v", c.marks, mark, proven)
		}
	}
}

func TestCalculating(t *testing.T) {
	parse := func(text string) Amount {
		a, err := Parse([]byte(text), '.')
		if err != nil {
			t.Fatal(err)
		}
		return a
	}
	for _, c := range []struct {
		got  Amount
		want string
	}{
		{parse("1.10").Add(parse("2.205")), "3.305"},
		{parse("9223372036854775807").Mul(parse("-1.50")), "-13835058055282163710.50"},
		{parse("2.345").Round(2), "2.34"}, // half-even
		{parse("2.355").Round(2), "2.36"},
		{parse("2.365").Round(2), "2.36"},
		{parse("2.3650001").Round(2), "2.37"},
		{parse("-2.355").Round(2), "-2.36"},
		{parse("-2.345").Round(2), "-2.34"},
		{parse("-0.5").Round(0), "0"},
		{parse("-1.5").Round(0), "-2"},
		{parse("7").Round(2), "7"},
		{parse("99999999999999999999.995").Round(2), "100000000000000000000.00"},
	} {
		if got := c.got.String(); got != c.want {
			t.Errorf("got %s, want %s", got, c.want)
		}
	}
	for _, c := range [][3]string{{"1", "8", "0.125"}, {"-1", "3", "-0.3333333333333333333333333333333333"},
		{"600", "0.5", "1200"}} {
		if got, ok := parse(c[0]).Quo(parse(c[1])); !ok || got.String() != c[2] {
			t.Errorf("%s / %s is %s", c[0], c[1], got)
		}
	}
	if _, ok := parse("1").Quo(parse("0.00")); ok {
		t.Error("there is a quotient of zero")
	}
}

func TestAppendPlain(t *testing.T) {
	for _, c := range []struct {
		raw  string
		most int
		want string
	}{
		{"1.2345600000000001E+3", 15, "1234.56"}, {"1234.5600000000001", 15, "1234.56"},
		{"0.30000000000000004", 15, "0.3"},
		{"1.2E+12", 15, "1200000000000"}, {"1.234567890123E+12", 15, "1234567890123"}, {"-5E-3", 15, "-0.005"},
		{"12345678901234567890", 15, "12345678901234567890"}, {"999999999999999.96", 15, "1000000000000000"},
		{"9.9999999999999995", 15, "10"}, {"0", 15, "0"}, {"-0.0", 0, "-0.0"}, {"0.000", 15, "0"},
		{"1000000.0", 15, "1000000"}, {"1.10", 0, "1.10"}, {"-0.50", 15, "-0.5"}, {"1e3", 0, "1000"},
		{"1E400000", 0, "1E400000"},
		{"1.23456789012345678901234567890e2", 0, "123.45678901234567890123456789"}, {"n/a", 15, "n/a"},
		{".5", 15, "0.5"}, {"-.5", 15, "-0.5"},
	} {
		if got := string(AppendPlain(nil, []byte(c.raw), c.most)); got != c.want {
			t.Errorf("%s gives %s, want %s", c.raw, got, c.want)
		}
	}
}
