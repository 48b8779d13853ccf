package demo

import (
	"fmt"
	"math/rand/v2"
	"strings"
)

// sale is a shared pass that a company has sold; the amount is in hundredths.
type sale struct {
	pass int
	day  int
	kind string
	sold int64
}

// passes makes the pass sales of March, as the companies have them and as the clearing
// office confirms them, and where the two do not agree: two digits that have changed
// places, a sale that the office lacks and one that only the office has, a day later, a
// cent, a number that was typed wrong, three sales that the office settles as one, and a
// number that stands twice.
func passes() []file {
	r := rand.New(rand.NewPCG(2031, 6))
	kinds := []struct {
		name string
		low  int64
	}{{"Day pass", 38_00}, {"Valley pass", 124_00}, {"Season pass", 680_00}}
	var all []file
	var statement strings.Builder
	statement.WriteString("Clearing Office of the Valley\nStatement for March 2031\n\nPass;Company;Sold;Amount;Fee\n")
	confirm := func(company, pass string, day int, cents int64) {
		fmt.Fprintf(&statement, "%s;%s;%02d.03.2031;%s;%s\n", pass, company, day, comma(cents), comma(cents/50))
	}
	for c := range companies {
		name := companies[c].name
		var sales []sale
		for i := range 8 + r.IntN(3) {
			kind := kinds[r.IntN(len(kinds))]
			sales = append(sales, sale{417 + 100*c + 3*i, 1 + r.IntN(27), kind.name, kind.low + 10*r.Int64N(500)})
		}
		var text strings.Builder
		text.WriteString("pass_no,sold,kind,amount\n")
		write := func(s sale) {
			fmt.Fprintf(&text, "%05d,2031-03-%02d,%s,%s\n", s.pass, s.day, s.kind, plain(s.sold))
		}
		for i, s := range sales {
			pass, day, cents := fmt.Sprint(s.pass), s.day, s.sold
			switch fmt.Sprint(name, i) {
			case "brackenfell2": // two digits have changed places
				cents = swapDigits(cents)
			case "corvane1": // the office lacks it
				write(s)
				continue
			case "dunmarrow3": // only the office has it
				confirm(name, pass, day, cents)
				continue
			case "dunmarrow5":
				day++
			case "eskerby0":
				cents++
			case "eskerby4": // typed wrong
				pass = fmt.Sprint(s.pass + 5000)
			case "fallowmere6": // a number that stands twice
				write(s)
				write(sale{s.pass, s.day + 1, s.kind, s.sold + 40})
				confirm(name, pass, day, cents+20)
				continue
			}
			write(s)
			confirm(name, pass, day, cents)
		}
		if name == "fallowmere" { // settled as one
			sum := int64(0)
			for i := range int64(3) {
				group := sale{990 + int(i), 24, "Group pass", 411_50 + 83_00*i}
				write(group)
				sum += group.sold
			}
			confirm(name, "9001", 24, sum)
		}
		all = append(all, file{fmt.Sprintf("passes/sales/%s_2031-03.csv", name), text.String()})
	}
	return append(all, file{"passes/statement.csv", statement.String()}, file{"passes/lastblock.toml", passesText})
}

const passesText = `# The pass sales of March, against the statement of the clearing office.
version = 1

[read]
paths = ["sales"]
name = "{entity}_{period}"

[reconcile]
against = ["statement.csv"]
against-rename = ["Pass=pass_no", "Company=entity", "Sold=sold", "Amount=amount"]
# The office leaves out the leading zeros of its numbers.
key = "pass_no"
loose = "pass_no=zeros"
tolerance = "amount=0.05"
days = "sold=2"
# What is left then: the same company, amount and day, and at last several that make one.
then-key = "entity,amount,sold"
combine = 3
combine-within = "entity"
total = "amount"
by = "entity"
`

// balances makes what the companies have booked about one another, each in its own
// currency, and where two of them do not agree: a decimal mark that moved, a sign, and a
// settlement that one company only has booked.
func balances() []file {
	r := rand.New(rand.NewPCG(2031, 7))
	rates := map[string]int64{"EUR": 10000, "CHF": 10500, "GBP": 11800} // euro for one, in ten thousandths
	books := make([]strings.Builder, len(companies))
	for c := range books {
		books[c].WriteString("counterparty,pass_no,balance,currency\n")
	}
	book := func(c, other int, number string, euro int64) {
		currency := companies[c].currency
		cents := (2*euro*10000 + rates[currency]) / (2 * rates[currency]) // rounded to the nearest
		if euro < 0 {
			cents = -((-2*euro*10000 + rates[currency]) / (2 * rates[currency]))
		}
		fmt.Fprintf(&books[c], "%s,%s,%s,%s\n", title(companies[other].name), number, plain(cents), currency)
	}
	number := 0
	for a := range companies {
		for b := a + 1; b < len(companies); b++ {
			for range 1 + r.IntN(2) {
				number++
				name := fmt.Sprintf("S%04d", 3100+number)
				euro := 50_00 + r.Int64N(4_000_00)
				if r.IntN(2) == 0 {
					euro = -euro
				}
				book(a, b, name, euro)
				switch number {
				case 4: // the decimal mark
					book(b, a, name, -10*euro)
				case 7: // the sign
					book(b, a, name, euro)
				case 10: // one company only has it
				default:
					book(b, a, name, -euro)
				}
			}
		}
	}
	var all []file
	for c := range companies {
		all = append(all, file{fmt.Sprintf("balances/books/%s_2031-03.csv", companies[c].name), books[c].String()})
	}
	return append(all,
		file{"balances/rates.csv", "currency,month,rate\nEUR,2031-03,1\nCHF,2031-03,1.05\nGBP,2031-03,1.18\n"},
		file{"balances/lastblock.toml", balancesText})
}

const balancesText = `# What the companies owe one another at the end of March, from the books of both.
version = 1

[read]
paths = ["books"]
name = "{entity}_{period}"

[reconcile]
mirror = "entity=counterparty"
key = "pass_no"
total = "balance"
# Each books in its own currency; a cent of rounding on each side is none.
rates = "rates.csv"
tolerance = "balance=0.02"
`
