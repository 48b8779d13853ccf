package main

import (
	"errors"
	"fmt"
	"path/filepath"
	"slices"
	"strings"
)

// growing are works whose time is to grow as what they read does, and not faster.
func growing() []work { return slices.Concat(recordsMore(), alignMore(), formsMore(), nearMore()) }

// millions are how many million records there are, each measured against the first.
var millions = []int{1, 2, 4, 8}

// grown are works of more and more of something, each measured against the first, where a quarter more than in
// proportion is wanted at most. of is a command on so many of them.
func grown(name, what string, make func(dir string, n int) error, of func(n int) []string) (works []work) {
	for _, n := range millions {
		yardstick := "DIR/lastblock"
		for _, arg := range of(millions[0]) {
			yardstick += " '" + arg + "'"
		}
		works = append(works, work{
			name: fmt.Sprintf("growth, %s of %d %s", name, n, what),
			make: func(dir string) error { return errors.Join(make(dir, millions[0]), make(dir, n)) },
			command: of(
				n,
			), yardstick: yardstick + " || true", wanted: 1.25 * float64(n) / float64(millions[0]), stops: true,
		})
	}
	return works
}

// recordsMore are the capabilities on more and more records: JOURNAL, and in another order AGAIN.
func recordsMore() (works []work) {
	for _, c := range []struct{ name, command string }{
		{"intake", "intake JOURNAL"},
		{"gauge", "gauge JOURNAL"},
		{"tieout", "tieout JOURNAL --total debit --sequence document --distinct document"},
		{"doubles", "doubles JOURNAL"},
		{"collate", "collate JOURNAL --out DIR/out/all.csv --replace"},
		{"collate into a workbook", "collate JOURNAL --out DIR/out/all.xlsx --replace"},
		{"rollup", "rollup JOURNAL --by document --sum debit"},
		{"reconcile", "reconcile JOURNAL --against AGAIN --key document,line --total debit"},
		{"prove", "prove JOURNAL --equals AGAIN"},
		{"attach", "attach JOURNAL --from DIR/mixed-quoted/accounts.csv --key account --bring name --bare " +
			"--out DIR/out/named.csv --replace"},
		{"split", "split JOURNAL --rows 250000 --out-dir DIR/out/parts --replace"},
		{"trace", `trace JOURNAL --where account=="4100" --sum debit`},
	} {
		works = append(works, grown(c.name, "million records", makeGrown, func(n int) []string {
			folder := fmt.Sprintf("DIR/grown-%d/", n)
			files := strings.NewReplacer("JOURNAL", folder+"journal.csv", "AGAIN", folder+"again.csv")
			return strings.Fields(files.Replace(c.command) + " --json")
		})...)
	}
	return works
}

// makeGrown makes a journal of so many million records, and once more in another order.
func makeGrown(dir string, n int) error {
	folder := filepath.Join(dir, fmt.Sprintf("grown-%d", n))
	err := makeOnce(folder, func() error {
		const text = `"Day pass %d, morning"`
		documents := n * 250_000
		return errors.Join(writeDocuments(filepath.Join(folder, "journal.csv"), documents, text, inOrder),
			writeDocuments(filepath.Join(folder, "again.csv"), documents, text, inOtherOrder))
	})
	return errors.Join(err, makeMixed(dir))
}

// formsMore are more and more forms that are added up.
func formsMore() []work {
	return grown("overlay", "thousand forms", makeMoreForms, func(n int) []string {
		return []string{
			"overlay",
			fmt.Sprintf("DIR/grown-forms-%d", n),
			"--out",
			"DIR/out/forms.csv",
			"--replace",
			"--json",
		}
	})
}

// alignMore are more and more files of 1,000 records put side by side.
func alignMore() []work {
	return grown(
		"align",
		"thousand files of 1,000 keys",
		func(dir string, n int) error { return makeAlike(dir, 1000*n) },
		func(n int) []string {
			return []string{"align", fmt.Sprintf("DIR/alike-%d", 1000*n), "--key", "account", "--out",
				"DIR/out/aligned.csv", "--replace", "--json"}
		},
	)
}

// nearMore are searches for records that are almost the same among more and more of them: the time is to grow as their
// number does, and not as its square.
func nearMore() []work {
	return grown(
		"doubles --near",
		"million invoices",
		func(dir string, n int) error { return makeInvoices(dir, n*1_000_000) },
		func(n int) []string {
			return []string{"doubles", fmt.Sprintf("DIR/invoices-%d/invoices.csv", n*1_000_000), "--near",
				"amount:0.01, posted:3d, invoice:1, party:same", "--json"}
		},
	)
}
