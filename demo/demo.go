package demo

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
)

// markName is the file by which the demo knows its own folder.
const markName = ".lastblock-demo"

// NotOursError is a folder that holds something that is not the demo's.
type NotOursError struct {
	Folder string
	File   string // one of the things it holds
}

func (e *NotOursError) Error() string {
	return fmt.Sprintf("%s holds %s, which is not the demo's; name an empty or a new folder", e.Folder, e.File)
}

// folders are those that the demo makes.
var folders = []string{"journals", "results", "april", "april/journals", "april/results", "passes", "passes/sales",
	"balances", "balances/books", "budgets", "budgets/2031", "budgets/results", "close", "close/journals", "close/bank"}

// kept are those in which results of the user may lie.
var kept = []string{"results", "april/results", "budgets/results"}

// chained are what the walk makes of the months that it closes, and begins anew each time.
var chained = []string{"close/blocks", "close/results", "close/decisions.csv", "close/frozen", "close/archive",
	"close/lastblock.toml.1.before", handedOut}

// Write writes the demo's files into a folder, which must be empty, new, or
// the demo's own.
func Write(folder string) error {
	if err := checkOurs(folder); err != nil {
		return err
	}
	for _, sub := range chained {
		if err := os.RemoveAll(filepath.Join(folder, filepath.FromSlash(sub))); err != nil {
			return err
		}
	}
	for _, sub := range folders {
		if err := os.MkdirAll(filepath.Join(folder, filepath.FromSlash(sub)), 0o755); err != nil {
			return err
		}
	}
	if err := os.WriteFile(filepath.Join(folder, markName),
		[]byte("This folder is made by 'lastblock demo', which writes over it.\n"), 0o644); err != nil {
		return err
	}
	for _, f := range files() {
		if err := os.WriteFile(filepath.Join(folder, filepath.FromSlash(f.path)), []byte(f.content),
			0o644); err != nil {
			return err
		}
	}
	return nil
}

// checkOurs refuses a folder with anything in it that the demo does not put
// there; what lies among the results may be the user's, and what was decided is.
func checkOurs(folder string) error {
	ours := map[string]bool{".": true, markName: true}
	for _, below := range folders {
		ours[below] = true
	}
	for _, plan := range []string{"", "april/", "passes/", "balances/", "budgets/"} {
		ours[plan+"decisions.csv"] = true
	}
	for _, f := range files() {
		ours[f.path] = true
	}
	err := filepath.WalkDir(folder, func(path string, entry fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		below, err := filepath.Rel(folder, path)
		if err != nil {
			return err
		}
		switch below = filepath.ToSlash(below); {
		case (slices.Contains(kept, below) || slices.Contains(chained, below)) && entry.IsDir():
			return filepath.SkipDir
		case slices.Contains(chained, below):
		case !ours[below]:
			return &NotOursError{folder, below}
		}
		return nil
	})
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	return err
}

// Step is one command of the walk and what to see in what comes back.
type Step struct {
	Before func(folder string) error // what happens before; nil for nothing
	Args   []string
	See    string
}

// Walk is the walk through the commands on the data in a folder.
func Walk(folder string) []Step {
	plan := filepath.Join(folder, "lastblock.toml")
	result := func(name string) string { return filepath.Join(folder, "results", name) }
	return append([]Step{
		{nil,
			[]string{"intake", "--plan", plan},
			"What arrived: five companies sent the same journal in seven shapes, which the plan lastblock.toml " +
				"brings together; one has its columns in another order, one has a column more in March, and one " +
				"value is no amount.",
		},
		{nil,
			[]string{"tieout", "--plan", plan},
			"Is everybody there, and does it agree with what was declared? Head office's own journal of March is " +
				"missing; a row of dunmarrow is missing, two digits of corvane are swapped, and fallowmere is short " +
				"by the record that could not be read. What is known can be accepted by its id, with 'decide'.",
		},
		{nil,
			[]string{"doubles", "--plan", filepath.Join(folder, "april", "lastblock.toml")},
			"April has just arrived, and some of it twice: a file under two names, a journal that was sent again " +
				"with changes, an invoice in the journals of two companies, one that was typed once more with two " +
				"digits swapped, and one that was taken back. What to leave out is decided by the ids and " +
				"letters, with 'decide'.",
		},
		{nil,
			[]string{"collate", "--plan", plan, "--out", result("all.xlsx"), "--suspense", result("suspense.csv"),
				"--anyway", "--replace"},
			"All records in one workbook, each with its company, month, file and line; the one that cannot be used " +
				"lies in suspense, and the proof counts both. As the tie-out failed there would be no workbook " +
				"without --anyway, and the workbook says so itself.",
		},
		{nil,
			[]string{"rollup", "--plan", plan, "--subtotals", "--anyway"},
			"The summary, months across, to the last cent; the total over three currencies is no money, but it " +
				"proves that nothing was lost.",
		},
		{nil,
			[]string{"reconcile", "--plan", filepath.Join(folder, "passes", "lastblock.toml"), "--out",
				result("passes.xlsx"), "--replace"},
			"Do the pass sales agree with what the clearing office confirms? Two digits have changed places, one " +
				"pass the office lacks and one only the office has, and one number stands twice; a number that was " +
				"typed wrong and three sales that were settled as one are found by the later passes. The " +
				"statement leads from one total to the other, and the workbook has all records, with both " +
				"sides next to each other.",
		},
		{nil,
			[]string{"reconcile", "--plan", filepath.Join(folder, "balances", "lastblock.toml")},
			"Do the companies agree on what they owe one another? Each has booked it in its own currency: a decimal " +
				"mark has moved, a sign is wrong, and one settlement only one of them has booked.",
		},
	}, append(budgetSteps(folder), closeSteps(folder)...)...)
}

// CommandLine writes a command as it can be copied into a shell.
func CommandLine(program string, args []string) string {
	parts := []string{program}
	for _, arg := range args {
		if arg == "" || strings.ContainsAny(arg, " {}*?$&;|<>()'\"~#!") {
			arg = "'" + strings.ReplaceAll(arg, "'", `'\''`) + "'"
		}
		parts = append(parts, arg)
	}
	return strings.Join(parts, " ")
}
