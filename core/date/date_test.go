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
		{"2031-13-01", "", 0},
		{"31-01.2031", "", 0},
		{"20310131", "", 0},
		{"1.2.31", "", 0},
		{"1234.50.1", "", 0},
		{"2031-01-31x", "", 0},
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
		"2031": true, "2031-01": true, "203112": true, "2031Q4": true, "2031-Q1": true, "2031-W53": true, "2031-01-31": true,
		"2031-13": false, "2031Q5": false, "999": false, "20311": false, "account": false, "2031-W54": false, "2031--1": false,
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
	for _, seed := range []string{"2031-01-31", "31.1.2031", "03/04/2031", "2031/2/29", "1-1-0001", "2031-01-31T09:00:00"} {
		f.Add(seed)
	}
	orders := map[Order][]string{
		YearMonthDay: {"2006-1-2", "2006/1/2", "2006.1.2"},
		DayMonthYear: {"2-1-2006", "2/1/2006", "2.1.2006"},
		MonthDayYear: {"1-2-2006", "1/2/2006"},
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
