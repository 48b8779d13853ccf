package demo

import (
	"math/rand/v2"
	"strings"
)

// april makes the journals of April as they arrived, with what would be counted
// twice: a file under two names, a resubmission that overlaps with what came first,
// an invoice in the journals of two companies, one that was typed once more with two
// digits swapped, and one that was taken back.
func april() []file {
	const period = "2031-04"
	r := rand.New(rand.NewPCG(2031, 4))
	journals := make(map[string][]record)
	number := 0
	for c := range companies {
		number = 100*(c+1) + 60
		journals[companies[c].name] = makeJournal(r, c, period, &number)
	}
	invoice := document("I70417", "2031-04-11", "05000", "02000", "", "Invoice 70417 of the cable works", 2_480_00)
	journals["corvane"] = append(journals["corvane"], invoice...)
	journals["fallowmere"] = append(journals["fallowmere"], invoice...)
	journals["eskerby"] = append(journals["eskerby"], append(
		document("E00487", "2031-04-17", "05200", "02000", "", "Energy", 1_934_60),
		document("E00478", "2031-04-18", "05200", "02000", "", "Energy, typed again", 1_934_60)...)...)
	journals["fallowmere"] = append(journals["fallowmere"], append(
		document("F00581", "2031-04-08", "05100", "02000", "", "Gondola cleaning", 312_00),
		document("F00584", "2031-04-24", "05100", "02000", "", "Gondola cleaning", -312_00)...)...)

	var all []file
	written := make(map[string]file)
	for c := range companies {
		f := write(&companies[c], period, journals[companies[c].name], false)
		f.path = "april/" + f.path
		written[companies[c].name] = f
		all = append(all, f)
	}
	copied := written["brackenfell"]
	copied.path = strings.TrimSuffix(copied.path, ".csv") + "_final.csv"
	return append(all, copied, resubmit(journals["dunmarrow"], period))
}

// resubmit is Dunmarrow's journal once more: a document is corrected, and one more
// is in it.
func resubmit(journal []record, period string) file {
	again := append([]record{}, journal...)
	const more = 150_00
	again[2].debit += more
	again[3].credit += more
	again = append(again, document("D00399", period+"-29", "05000", "02000", "", "Cable inspection, upper station",
		618_25)...)
	f := write(&companies[2], period, again, false)
	f.path = "april/" + strings.TrimSuffix(f.path, ".txt") + "_corrected.txt"
	return f
}

// document makes a document of two lines.
func document(number, posted, debit, credit, counterparty, text string, cents int64) []record {
	return []record{
		{number, 1, posted, debit, counterparty, text, cents, 0},
		{number, 2, posted, credit, counterparty, text, 0, cents},
	}
}
