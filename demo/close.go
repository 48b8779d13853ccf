package demo

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
)

// closeMonths are the months that are closed.
var closeMonths = []string{"2031-01", "2031-02"}

// latePeriod is the month for which a record of fallowmere comes when it is closed already.
const latePeriod = "2031-01"

// closeFiles makes the month end that is closed on the walk.
func closeFiles() []file {
	journals, declared := closeJournals()
	var all []file
	for _, period := range closeMonths {
		for c := range companies {
			f := write(&companies[c], period, journals[companies[c].name+period], false)
			f.path = "close/" + f.path
			all = append(all, f)
		}
	}
	return append(all,
		file{"close/control.csv", controlSheet(declared)},
		file{"close/companies.csv", "entity,from,until,currency\n" + strings.Join(companyLines(), "")},
		file{"close/bank/statement_2031-01.csv", bankStatement(journals, "2031-01")},
		file{"close/bank/statement_2031-02.csv", bankStatement(journals, "2031-02")},
		file{"close/lastblock.toml", closeText})
}

// closeJournals makes the journals by company and month, and what was declared of them: for eskerby's January
// with two digits swapped.
func closeJournals() (journals map[string][]record, declared []declaration) {
	r := rand.New(rand.NewPCG(2031, 17))
	journals = make(map[string][]record)
	for c := range companies {
		number := 100 * (c + 1)
		for _, period := range closeMonths {
			journal := makeJournal(r, c, period, &number)
			journals[companies[c].name+period] = journal
			d := declare(companies[c].name, period, journal)
			if companies[c].name == "eskerby" && period == latePeriod {
				d.debit = swapDigits(d.debit)
			}
			declared = append(declared, d)
		}
	}
	return journals, declared
}

func companyLines() (lines []string) {
	for c := range companies {
		lines = append(lines, companies[c].name+",,,"+companies[c].currency+"\n")
	}
	return lines
}

// bankStatement is what the bank says of the account 01000 in a month, each document with its amount.
func bankStatement(journals map[string][]record, period string) string {
	var lines []string
	for _, journal := range journals {
		for _, of := range journal {
			if of.account == "01000" && strings.HasPrefix(of.posted, period) {
				lines = append(lines, fmt.Sprintf("%s,%s\n", of.document, plain(of.debit-of.credit)))
			}
		}
	}
	slices.Sort(lines)
	return "document,amount\n" + strings.Join(lines, "")
}

// lateRecords are what companies have booked too late, by company and month.
var lateRecords = []struct {
	company, period string
	records         []record
}{
	{"fallowmere", latePeriod,
		document("F00599", latePeriod+"-31", "01200", "04100", "Corvane", "Shared passes", 415_20)},
	{"corvane", closeMonths[1],
		document("C00299", closeMonths[1]+"-27", "01200", "04100", "Dunmarrow", "Verbundpässe", 188_60)},
}

// late has the first n of the late records come, with the control sheet for them.
func late(n int) func(folder string) error {
	return func(folder string) error {
		journals, declared := closeJournals()
		files := make([]file, 0, n+1)
		for _, l := range lateRecords[:n] {
			journal := append(journals[l.company+l.period], l.records...)
			for i := range declared {
				if d := &declared[i]; d.entity == l.company && d.period == l.period {
					*d = declare(d.entity, d.period, journal)
				}
			}
			c := slices.IndexFunc(companies, func(c company) bool { return c.name == l.company })
			files = append(files, write(&companies[c], l.period, journal, false))
		}
		for _, f := range append(files, file{"control.csv", controlSheet(declared)}) {
			if err := os.WriteFile(filepath.Join(folder, "close", filepath.FromSlash(f.path)), []byte(f.content),
				0o644); err != nil {
				return err
			}
		}
		return nil
	}
}

// moveJournals moves the journals into an archive.
func moveJournals(folder string) error {
	return os.Rename(filepath.Join(folder, "close", "journals"), filepath.Join(folder, "close", "archive"))
}

// handOut copies the month end to a folder of its own, in which a digit of a result is changed.
func handOut(folder string) error {
	to := filepath.Join(folder, handedOut)
	if err := os.RemoveAll(to); err != nil {
		return err
	}
	if err := os.CopyFS(to, os.DirFS(filepath.Join(folder, "close"))); err != nil {
		return err
	}
	result := filepath.Join(to, "results", closeMonths[1], "by-account.csv")
	data, err := os.ReadFile(result)
	if err != nil {
		return err
	}
	at := bytes.LastIndexByte(data, '.') - 1
	if data[at]++; data[at] > '9' {
		data[at] = '0'
	}
	return os.WriteFile(result, data, 0o644)
}

// handedOut is the folder of the copy.
const handedOut = "handed-out"

// closeSteps are the steps of the walk that close two months, and go on from there.
func closeSteps(folder string) []Step {
	plan := filepath.Join(folder, "close", "lastblock.toml")
	closing := func(args ...string) []string { return append([]string{"close", "--plan", plan}, args...) }
	return []Step{
		{
			Args: closing("--period", closeMonths[0]),
			See: "The whole month end in one run, another plan now: January is tied out, searched for doubles, held " +
				"against the bank, and summed up. It does not pass, since eskerby's control sheet says something " +
				"else than its journal, so that nothing is placed.",
		},
		{
			Args: []string{"decide", "--plan", plan, "--kind", "control-total", "--source", "eskerby*", "--accept",
				"--reason", "two digits are swapped on the sheet, says Eskerby", "--yes"},
			See: "It is decided, with the reason.",
		},
		{
			Args: closing("--period", closeMonths[0]),
			See: "Now it passes. The results are in place, and sealed: the block says what was read and what came " +
				"of it, and its seal is what to note elsewhere.",
		},
		{
			Before: late(1),
			Args:   closing("--period", closeMonths[0], "--restate", "--reason", "Fallowmere has booked a sale late"),
			See: "A late record of January has come from fallowmere. January is closed already, so it is restated, " +
				"and the new block says which one it takes the place of.",
		},
		{
			Args: closing(),
			See:  "February; which month it is the files say.",
		},
		{
			Args: []string{"history", "account=04100", "--sum", "credit", "--plan", plan},
			See:  "How a figure went from close to close, and which sources made the change.",
		},
		{
			Before: handOut,
			Args:   []string{"verify", "--plan", filepath.Join(folder, handedOut, "lastblock.toml"), "--sources"},
			See: "All of it was copied to another folder, and there a digit of a result has changed. Whoever has the " +
				"folder finds it.",
		},
		{
			Before: late(2),
			Args:   []string{"changes", "--plan", plan},
			See: "A late record of February has come as well, from corvane. The month is closed, so that this stands " +
				"first, and the bridges say what it does to each figure.",
		},
		{
			Args: closing("--period", closeMonths[1], "--restate", "--reason", "Corvane has sent a record late"),
			See:  "February is restated. The bridge is printed, and sealed with the block.",
		},
		{
			Args: []string{"report", "--plan", plan, "--block", "4", "--out",
				filepath.Join(folder, "results", "pack.html") + "," + filepath.Join(folder, "results", "pack.xlsx"),
				"--replace"},
			See: "The pack for the manager, made of the block alone: a page that any browser opens, and a workbook. " +
				"Open results/pack.html and look around; each figure opens to what each file gave, with its lines.",
		},
		{
			Args: []string{"trace", filepath.Join(folder, handedOut, "results", closeMonths[1], "by-company.xlsx"),
				"entity=corvane", "period=" + closeMonths[1], "--plan", plan, "--top", "5"},
			See: "Somebody asks about a figure of the workbook that was handed out. The workbook says by itself " +
				"which block has made it; the figure is there as it was sealed, and as it is now, down to file and " +
				"line.",
		},
		{
			Args: []string{"freeze", "eskerby", "--reason", "sold to another group", "--plan", plan},
			See: "Eskerby was sold. Its figures stay in every summary, from copies of what was sealed; its files " +
				"are no " +
				"longer read, and nobody misses it.",
		},
		{
			Before: moveJournals,
			Args: []string{"relocate", filepath.Join(folder, "close", "journals"),
				filepath.Join(folder, "close", "archive"),
				"--plan", plan},
			See: "The journals were moved. They are found by their content, and the plan is written for where they " +
				"are; " +
				"what was decided and sealed goes on to hold.",
		},
	}
}

const closeText = `# The months of Larkspur Ropeways, closed one after another.
version = 1

[read]
paths = ["journals"]
name = "{entity}_{period}"
as = ["posted=date", "debit=amount", "credit=amount"]
` + shapesText + `
[tieout]
total = ["debit", "credit"]
declared = "control.csv"
roster = "companies.csv"
balance = "debit=credit"
balance-by = "document"
inside-period = "posted"

[doubles]
key = ["document", "line"]
total = "debit"

[[reconcile]]
name = "bank"
against = "bank"
against-name = "statement_{period}"
where = 'account == "01000"'
make = "amount=debit-credit"
key = "document"
total = "amount"

[[rollup]]
name = "by-company"
by = ["currency", "entity"]
sum = "debit"
across = "period"

[[rollup]]
name = "by-account"
by = "account"
sum = ["debit", "credit"]
out = "results/{period}/{name}.csv"

[close]
require = ["roster", "declared", "balance", "doubles", "reconcile"]
retain = true
`
