// Package demo makes a small month end to try Lastblock on: the journals of
// the five companies of Larkspur Ropeways, a made-up group of cable cars, with
// a few faults planted in them, and a walk through the commands. The data is
// the same each time.
package demo

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"time"
)

// company is a company of the group, and how it writes its journal.
type company struct {
	name     string
	currency string
	columns  []string          // by our names, in its order
	names    map[string]string // what it calls them, where that differs
	texts    map[string]string // what it calls what it posts, likewise
	money    func(cents int64) string
	day      string // how it writes a date, as a layout of package time
}

var usualColumns = []string{"document", "line", "posted", "account", "counterparty", "text", "debit", "credit",
	"currency"}

var companies = []company{
	{name: "brackenfell", currency: "EUR", columns: usualColumns, money: plain, day: time.DateOnly},
	{
		name: "corvane", currency: "CHF", columns: usualColumns, money: comma, day: "02.01.2006",
		names: map[string]string{
			"document": "Beleg", "line": "Zeile", "posted": "Datum", "account": "Konto", "counterparty": "Gegenpartei",
			"text": "Text", "debit": "Soll", "credit": "Haben", "currency": "Währung",
		},
		texts: map[string]string{
			"Day passes": "Tageskarten", "Shared passes": "Verbundpässe",
			"Settlement of shared passes":     "Abrechnung Verbundpässe",
			"Cable inspection, upper station": "Seilprüfung; Bergstation", "Energy": "Strom für den Antrieb",
			"Gondola cleaning": "Kabinen gewaschen, à 12 Stück",
		},
	},
	{name: "dunmarrow", currency: "EUR", columns: usualColumns, money: plain, day: "02-Jan-2006"},
	{
		name: "eskerby", currency: "GBP", money: plain, day: time.DateOnly,
		// planted: another order
		columns: []string{"posted", "document", "line", "text", "account", "currency", "credit", "debit",
			"counterparty"},
	},
	{name: "fallowmere", currency: "CHF", columns: usualColumns, money: trailing, day: "02/01/2006"},
}

var periods = []string{"2031-01", "2031-02", "2031-03"}

// record is one line of a journal; amounts are in hundredths.
type record struct {
	document     string
	line         int
	posted       string
	account      string
	counterparty string
	text         string
	debit        int64
	credit       int64
}

// declaration is a line of the control sheet.
type declaration struct {
	entity, period string
	rows           int
	debit, credit  int64
}

// file is one file of the demo, by its path below the demo's folder.
type file struct {
	path    string
	content string
}

// kinds of documents that a cable car company posts.
var postings = []struct {
	text           string
	debit, credit  string // accounts
	between        bool   // with another company of the group
	low, high      int64  // in hundredths
	reversalChance int    // in a hundred
}{
	{"Day passes", "01000", "04000", false, 80_000, 950_000, 0},
	{"Shared passes", "01200", "04100", true, 20_000, 480_000, 0},
	{"Settlement of shared passes", "02200", "01000", true, 20_000, 480_000, 0},
	{"Cable inspection, upper station", "05000", "02000", false, 45_000, 320_000, 0},
	{"Energy", "05200", "02000", false, 120_000, 610_000, 0},
	{"Gondola cleaning", "05100", "02000", false, 9_000, 40_000, 15},
}

// files makes the demo's files.
func files() []file {
	r := rand.New(rand.NewPCG(2031, 5))
	var all []file
	var declared []declaration
	for c := range companies {
		number := 100 * (c + 1)
		for _, period := range periods {
			journal := makeJournal(r, c, period, &number)
			declared = append(declared, declare(companies[c].name, period, journal))
			all = append(all, write(&companies[c], period, plantIn(companies[c].name, period, journal), true))
		}
	}
	all = append(all, slices.Concat(april(), passes(), balances(), budgets(), closeFiles())...)
	all = append(packMonths(all, "brackenfell"),
		file{"control.csv", controlSheet(declared)},
		file{"companies.csv", companyList},
		file{"accounts.csv", chartOfAccounts},
		file{"lastblock.toml", planText},
		file{"april/lastblock.toml", aprilText},
		file{"journals/~$budget.xlsx", "opened by head office\n"},
		file{"journals/cover-note.pdf", "Journals for the first quarter, as agreed.\n"},
	)
	return all
}

// companyList is who has to file: head office as well, from March on, whose own
// journal is planted to be missing.
const companyList = `entity,from,until,currency
brackenfell,,,EUR
corvane,,,CHF
dunmarrow,,,EUR
eskerby,2031-01,,GBP
fallowmere,,,CHF
larkspur,2031-03,,CHF
`

// chartOfAccounts has the accounts that may be posted to.
const chartOfAccounts = `code,name
01000,Bank
01200,Receivables within the group
02000,Suppliers
02200,Payables within the group
04000,Day passes
04100,Shared passes
05000,Inspection of cables
05100,Cleaning
05200,Energy
`

// makeJournal makes a balanced journal of one month.
func makeJournal(r *rand.Rand, c int, period string, number *int) []record {
	var journal []record
	for range 6 + r.IntN(4) {
		kind := postings[r.IntN(len(postings))]
		*number++
		document := fmt.Sprintf("%s%05d", strings.ToUpper(companies[c].name[:1]), *number)
		posted := fmt.Sprintf("%s-%02d", period, 1+r.IntN(28))
		counterparty := ""
		if kind.between {
			counterparty = title(companies[(c+1+r.IntN(len(companies)-1))%len(companies)].name)
		}
		cents := kind.low + r.Int64N(kind.high-kind.low)
		if r.IntN(100) < kind.reversalChance {
			cents = -cents
		}
		journal = append(journal,
			record{document, 1, posted, kind.debit, counterparty, kind.text, cents, 0},
			record{document, 2, posted, kind.credit, counterparty, kind.text, 0, cents})
	}
	return journal
}

func declare(entity, period string, journal []record) declaration {
	d := declaration{entity: entity, period: period, rows: len(journal)}
	for _, r := range journal {
		d.debit += r.debit
		d.credit += r.credit
	}
	return d
}

// plantIn puts the faults in that concern amounts and rows, after the true
// figures were declared.
func plantIn(entity, period string, journal []record) []record {
	switch entity + period {
	case "dunmarrow2031-02": // a row is missing
		return append(journal[:4:4], journal[5:]...)
	case "corvane2031-03": // two digits of an amount are swapped
		for i := range journal {
			if swapped := swapDigits(journal[i].debit); swapped != journal[i].debit {
				journal[i].debit = swapped
				break
			}
		}
	}
	return journal
}

// swapDigits swaps the hundreds and the tens of an amount in hundredths.
func swapDigits(cents int64) int64 {
	tens, hundreds := cents/1000%10, cents/10000%10
	return cents + (tens-hundreds)*10000 + (hundreds-tens)*1000
}

// letterO types a letter for the last digit, as somebody in a hurry does.
func letterO(amount string) string {
	i := strings.LastIndexAny(amount, "0123456789")
	return amount[:i] + "O" + amount[i+1:]
}

func controlSheet(declared []declaration) string {
	var b strings.Builder
	b.WriteString("entity,period,rows,debit,credit\n")
	for _, d := range declared {
		fmt.Fprintf(&b, "%s,%s,%d,%s,%s\n", d.entity, d.period, d.rows, plain(d.debit), plain(d.credit))
	}
	return b.String()
}

// plain writes 1234.50 and -1234.50.
func plain(cents int64) string {
	sign := ""
	if cents < 0 {
		sign, cents = "-", -cents
	}
	return fmt.Sprintf("%s%d.%02d", sign, cents/100, cents%100)
}

// grouped writes 1,234.50.
func grouped(cents int64) string {
	whole, fraction, _ := strings.Cut(plain(cents), ".")
	if len(whole) > 3 {
		whole = whole[:len(whole)-3] + "," + whole[len(whole)-3:]
	}
	return whole + "." + fraction
}

// comma writes 1.234,50 and 1.234,50-.
func comma(cents int64) string {
	return strings.NewReplacer(",", ".", ".", ",").Replace(trailing(cents))
}

// trailing writes 1,234.50 and 1,234.50-.
func trailing(cents int64) string {
	if cents < 0 {
		return grouped(-cents) + "-"
	}
	return grouped(cents)
}

func title(s string) string { return strings.ToUpper(s[:1]) + s[1:] }
