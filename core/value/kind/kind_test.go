package kind

import (
	"strings"
	"testing"
	"time"

	"lastblock/core/record"
	"lastblock/core/value/amount"
	"lastblock/core/value/date"
)

func TestKinds(t *testing.T) {
	for _, c := range []struct {
		rule   string
		name   string
		values string
		kind   record.Kind
		others int
	}{
		{"amounts in any dress", "value", "1.50 (2.00) 3,000.00 -4", record.Amount, 0},
		{"one slip in ten does not hide the kind", "value", "1 2 3 4 5 6 7 8 9 1O", record.Amount, 1},
		{"two slips in ten do", "value", "1 2 3 4 5 6 7 8 x y", record.Text, 0},
		{"digits with a leading zero are a code", "value", "0410 0420", record.Text, 0},
		{"more digits than money has are a code", "value", "4006381333931", record.Text, 0},
		{"twelve digits are as many", "value", "400638133393 400638133394", record.Text, 0},
		{"eleven are not", "value", "40063813339 40063813338", record.Amount, 0},
		{"unless they are of several lengths, as currencies without cents write them", "value",
			"400638133393 1250000000000 75000", record.Amount, 0},
		{"a word for a code in front of a name is none", "Account balance", "4000 4010", record.Amount, 0},
		{"nor is one in the middle", "Net document amount", "4000 4010", record.Amount, 0},
		{"digits under the name of a code", "account", "4000 4010", record.Text, 0},
		{"digits under the name of a code, in two words", "Acct No", "4000 4010", record.Text, 0},
		{"places behind the mark make an amount whatever the name", "account", "4000.00 4010.00", record.Amount, 0},
		{"digits under another name", "quantity", "10 200", record.Amount, 0},
		{"a figure with an exponent among others is an amount", "value", "12.50 1E+06 3.00", record.Amount, 0},
		{"figures with an exponent alone are codes that were taken for numbers", "value", "4.00638E+12 4.00639E+12",
			record.Text, 0},
		{"as they are under the name of a code", "barcode", "4006381 4.00638E+12", record.Text, 0},
		{"codes with an E stay texts", "value", "12E3 14E7", record.Text, 0},
		{"dashes among amounts are zeros", "credit", "- - - - - - - - 12.50", record.Amount, 0},
		{"dashes alone are nothing", "credit", "- -", record.Text, 0},
		{"dashes among codes stay codes", "account", "- 4000", record.Text, 0},
		{"dashes among words", "text", "- - - - - - - - - x 5", record.Text, 0},
		{"dates", "posted", "2031-01-31 2031-02-01", record.Date, 0},
		{"dates by the day", "posted", "31.01.2031 1.2.2031", record.Date, 0},
		{"dates with the name of the month in front", "posted", "Apr_1_2000 May_31,_2031", record.Date, 0},
		{"flags", "open", "yes no Yes", record.Flag, 0},
		{"flags by a letter", "open", "Y N y", record.Flag, 0},
		{"words", "name", "Corvane Eskerby", record.Text, 0},
		{"nothing at all", "value", "", record.Text, 0},
	} {
		t.Run(c.rule, func(t *testing.T) {
			var s Evidence
			for _, value := range strings.Fields(c.values) {
				s.Add([]byte(strings.ReplaceAll(value, "_", " ")), '.', 1)
			}
			if kind, others := s.Kind(c.name); kind != c.kind || others != c.others {
				t.Errorf("kind is %s with %d others, want %s with %d", kind, others, c.kind, c.others)
			}
		})
	}
}

// A value that comes several times counts as often.
func TestValuesCount(t *testing.T) {
	var once, counted Evidence
	for range 9 {
		once.Add([]byte("1.50"), '.', 1)
	}
	once.Add([]byte("none"), '.', 1)
	counted.Add([]byte("1.50"), '.', 9)
	var other Evidence
	other.Add([]byte("none"), '.', 1)
	counted.Merge(&other)
	if once != counted {
		t.Errorf("one by one %+v, counted %+v", once, counted)
	}
}

// Nothing that can be read as a date is told to be none, and of words that begin like no month it is told quickly.
func TestMayBeDate(t *testing.T) {
	read := 0
	for month := time.January; month <= time.December; month++ {
		for _, name := range []string{month.String(), month.String()[:3], strings.ToUpper(month.String())} {
			for _, rest := range []string{" 31, 2031", " 5, 2031 ", "-28-2031", "/1/2031", ".17.2031", "31,2031",
				" 3, 2031 10:00 PM", " 3 2031 10:00 UTC", " 3 31", " sales"} {
				text := []byte(name + rest)
				if _, ok := date.Parse(text); ok {
					read++
					if !MayBeDate(text) {
						t.Errorf("%q is a date", text)
					}
				}
			}
		}
	}
	if read < 250 {
		t.Errorf("%d are dates", read)
	}
	for _, text := range []string{"Day pass 31, 2031", "Corvane 5", "x", "D1", "LKC", "Jan"} {
		if MayBeDate([]byte(text)) {
			t.Errorf("%q may be a date", text)
		}
	}
}

// Nothing that can be read as an amount is told to be none.
func TestMayBeAmount(t *testing.T) {
	read, none := 0, 0
	for _, front := range []string{"", "EUR", "LKC ", "kr", "kr. ", "Kr", "Fr.", "SFr", "SFr. ", "SFr.\u202f", "zł",
		"Kč ", "Ft", "lei ", "Rs", "Rs.\u00a0", "CR", "D", "Pass ", "Room", "DEBIT ", "-", "("} {
		for _, figure := range []string{"5", "-5", "1,234.50", "(7.10)", "2031-01", "–", "05 CR", "5-", ""} {
			text := []byte(front + figure)
			switch _, err := amount.Parse(text, '.'); {
			case err == nil && len(text) > 0 && !MayBeAmount(text) && !amount.IsDash(text):
				t.Errorf("%q is an amount", text)
			case err == nil:
				read++
			case !MayBeAmount(text):
				none++
			}
		}
	}
	if read < 60 || none < 30 {
		t.Errorf("%d are amounts, and %d are quickly told to be none", read, none)
	}
}
