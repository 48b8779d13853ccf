package date

import (
	"strings"
	"testing"
	"time"
)

func TestParse(t *testing.T) {
	for _, c := range []struct {
		text  string
		want  string // "" for no date
		order Order
	}{
		{"2031-01-31", "2031-01-31", YearMonthDay},
		{"2031/1/5", "2031-01-05", YearMonthDay},
		{"2031-01-31T10:00:00", "2031-01-31", YearMonthDay},
		{"31.01.2031", "2031-01-31", DayMonthYear},
		{"03.04.2031", "2031-04-03", DayMonthYear},
		{"31/01/2031", "2031-01-31", DayMonthYear},
		{"1/31/2031", "2031-01-31", MonthDayYear},
		{"05/05/2031", "2031-05-05", DayMonthYear},
		{"03/04/2031", "2031-04-03", Unclear},
		{"1970-01-01", "1970-01-01", YearMonthDay},
		{"2028-02-29", "2028-02-29", YearMonthDay},
		{"2031-02-29", "", 0},
		{"2031-012-05", "", 0},
		{"2031-12-005", "", 0},
		{"005/12/2031", "", 0},
		{"2031-13-01", "", 0},
		{"31-01.2031", "", 0},
		{"20310131", "", 0},
		{"1.2.31", "", 0},
		{"1234.50.1", "", 0},
		{"2031-01-31x", "", 0},
		{"2031-01-31 ", "2031-01-31", YearMonthDay},
		{"31.01.2031 9:05", "2031-01-31", DayMonthYear},
		{"31/01/2031 09:05:06.123 PM", "2031-01-31", DayMonthYear},
		{"2031-01-31T10:00:00+01:00", "2031-01-31", YearMonthDay},
		{"2031-01-31 10:00 UTC", "2031-01-31", YearMonthDay},
		{"2031-01-31T100000Z", "2031-01-31", YearMonthDay},
		{"Jan 31, 2031 10:00 PM", "2031-01-31", YearMonthDay},
		{"2031-01-31 D1 5,00", "", 0},
		{"2031-01-31 5", "", 0},
		{"2031-01-31 10:5", "", 0},
		{"2031-01-31 10:00 sharp", "", 0},
		{"31 Jan", "", 0},
		{"Jan 31", "", 0},
		{"31 Jan 2031 5", "", 0},
		{"30. September 2031", "2031-09-30", 0},
		{"2031-01-31T", "", 0},
		{"31/01/2031 Fee", "", 0},
		{"31 Jan 2031 10:00 sharp", "", 0},
	} {
		got, ok := Parse([]byte(c.text))
		switch {
		case c.want == "" && ok:
			t.Errorf("%s is a date: %s", c.text, String(got.Days))
		case c.want != "" && (!ok || String(got.Days) != c.want || got.Order != c.order):
			t.Errorf("%s is %s, %v, %v; want %s, %v", c.text, String(got.Days), got.Order, ok, c.want, c.order)
		}
	}
}

func TestUnclearHasBothReadings(t *testing.T) {
	d, _ := Parse([]byte("03/04/2031"))
	if String(d.Days) != "2031-04-03" || String(d.MonthFirst) != "2031-03-04" {
		t.Errorf("readings are %s and %s", String(d.Days), String(d.MonthFirst))
	}
}

func TestIsPeriod(t *testing.T) {
	for text, want := range map[string]bool{
		"2031": true, "2031-01": true, "203112": true, "2031Q4": true, "2031-Q1": true, "2031-W53": true,
		"2031-01-31": true,
		"2031-13":    false, "2031Q5": false, "999": false, "20311": false, "account": false, "2031-W54": false,
		"2031--1": false,
	} {
		if IsPeriod(text) != want {
			t.Errorf("IsPeriod(%s) = %v", text, !want)
		}
	}
}

func TestMonth(t *testing.T) {
	for name, want := range map[string]int{"January": 1, "feb": 2, "DEC": 12, "Ja": 0, "Sept": 0, "": 0} {
		if got := Month(name); got != want {
			t.Errorf("Month(%q) = %d, want %d", name, got, want)
		}
	}
}

// FuzzParse compares with the standard library wherever that reads the text.
func FuzzParse(f *testing.F) {
	for _, seed := range []string{"2031-01-31", "31.1.2031", "03/04/2031", "2031/2/29", "1-1-0001",
		"2031-01-31T09:00:00"} {
		f.Add(seed)
	}
	orders := map[Order][]string{
		YearMonthDay: {"2006-1-2", "2006/1/2", "2006.1.2"},
		DayMonthYear: {"2-1-2006", "2/1/2006", "2.1.2006"},
		MonthDayYear: {"1-2-2006", "1/2/2006", "1.2.2006"},
	}
	f.Fuzz(func(t *testing.T, text string) {
		got, ok := Parse([]byte(text))
		day, _, _ := strings.Cut(strings.Replace(text, "T", " ", 1), " ")
		readings := make(map[Order]int)
		for order, forms := range orders {
			for _, form := range forms {
				if read, err := time.Parse(form, day); err == nil {
					readings[order] = int(read.Unix() / 86400)
				}
			}
		}
		if got.ByHabit != (ok && len(readings) == 2 && got.Order == DayMonthYear &&
			readings[DayMonthYear] != readings[MonthDayYear]) {
			t.Errorf("%q is read day first by habit: %v, the stock reader has %v", text, got.ByHabit, readings)
		}
		if !ok {
			return // fewer forms are read here: a year below 32, a text too short
		}
		switch got.Order {
		case Unclear:
			if got.Days != readings[DayMonthYear] || got.MonthFirst != readings[MonthDayYear] || len(readings) != 2 {
				t.Errorf("%q is read as %+v, the stock reader has %v", text, got, readings)
			}
		default:
			if days, known := readings[got.Order]; !known || days != got.Days {
				t.Errorf("%q is read as %+v, the stock reader has %v", text, got, readings)
			}
		}
	})
}

func TestParseOrder(t *testing.T) {
	for _, c := range []struct {
		text  string
		order Order
		want  string // "" for no date
	}{
		{"03/04/2031", DayMonthYear, "2031-04-03"}, {"03/04/2031", MonthDayYear, "2031-03-04"},
		{"3.4.31", DayMonthYear, "2031-04-03"},
		{"31-12-03", YearMonthDay, "2031-12-03"}, {"2031-04-03", MonthDayYear, "2031-04-03"},
		{"2031/4/3 08:15", DayMonthYear, "2031-04-03"},
		{"03042031", DayMonthYear, "2031-04-03"}, {"20310403", YearMonthDay, "2031-04-03"},
		{"030431", MonthDayYear, "2031-03-04"}, {"310403", YearMonthDay, "2031-04-03"},
		{"3 Apr 2031", YearMonthDay, "2031-04-03"}, {"April 3, 2031", DayMonthYear, "2031-04-03"},
		{"03-APR-31", DayMonthYear, "2031-04-03"}, {"2031 Apr 3", DayMonthYear, "2031-04-03"},
		{"29.02.2032", DayMonthYear, "2032-02-29"}, {"29.02.2031", DayMonthYear, ""}, {"13/13/2031", DayMonthYear, ""},
		{"04/31/2031", MonthDayYear, ""},
		{"12345678", DayMonthYear, ""}, {"3.4", DayMonthYear, ""}, {"", DayMonthYear, ""},
		{"3 Foo 2031", DayMonthYear, ""}, {"3-4/2031", DayMonthYear, ""},
		{"03.04.2031x", DayMonthYear, ""}, {"1/2/3/4", DayMonthYear, ""}, {"20310403", DayMonthYear, ""},
	} {
		days, ok := ParseOrder([]byte(c.text), c.order)
		got := ""
		if ok {
			got = String(days)
		}
		if got != c.want {
			t.Errorf("%q in order %d is %q, want %q", c.text, c.order, got, c.want)
		}
	}
}

// Where the order of the parts was only found out, a year has four digits.
func TestParseFull(t *testing.T) {
	for _, c := range []struct {
		text  string
		order Order
		want  string // "" for no date
	}{
		{"03/04/2031", DayMonthYear, "2031-04-03"}, {"03/04/2031", MonthDayYear, "2031-03-04"},
		{"2031-04-03", MonthDayYear, "2031-04-03"},
		{"31/01/2031", MonthDayYear, ""}, {"3.4.31", DayMonthYear, ""}, {"03042031", DayMonthYear, ""},
		{"20310403", YearMonthDay, ""},
		{"Apr 3 2031", DayMonthYear, "2031-04-03"}, {"3-Apr-31", MonthDayYear, "2031-04-03"},
		{"3/4/2031 Fee", DayMonthYear, ""}, {"3/4/2031 08:15", DayMonthYear, "2031-04-03"},
	} {
		days, ok := ParseFull([]byte(c.text), c.order)
		if got := String(days); ok != (c.want != "") || ok && got != c.want {
			t.Errorf("%q in order %d is %q, %v; want %q", c.text, c.order, got, ok, c.want)
		}
	}
}

func TestDatesWithMonthNames(t *testing.T) {
	for text, want := range map[string]string{
		"31 Jan 2031": "2031-01-31", "31-jan-2031": "2031-01-31", "Jan 31, 2031": "2031-01-31",
		"30. September 2031": "2031-09-30",
		"1 May 2031":         "2031-05-01", "31 Feb 2031": "", "Jan 2031": "", "January": "", "Jan Jan 2031": "",
		"day pass 2031": "", "2031 passes sold in January": "",
	} {
		d, ok := Parse([]byte(text))
		got := ""
		if ok {
			got = String(d.Days)
		}
		if got != want || ok && d.Order == Unclear {
			t.Errorf("%q is %q, want %q", text, got, want)
		}
	}
	if got := string(Append([]byte("on "), 0)); got != "on 1970-01-01" {
		t.Errorf("appended %q", got)
	}
}
