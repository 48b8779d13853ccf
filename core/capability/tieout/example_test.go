package tieout_test

import (
	"context"
	"fmt"

	"lastblock/core/capability/tieout"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/internal/sourcetest"
)

// A branch declared three rows and 300.00; one row did not arrive.
func Example() {
	set, remove := sourcetest.Example("", map[string]string{
		"corvane.csv": "document,debit\nC1,100.00\nC2,\"(50.00)\"\n",
	})
	defer remove()
	declared := &source.Table{
		Name:   "control.csv",
		Layout: record.NewLayout([]string{"source", "rows", "debit"}),
		Rows:   [][]string{{"corvane", "3", "300.00"}},
		Lines:  []int{2},
	}
	result, err := tieout.Run(context.Background(), set, sourcetest.Reading,
		tieout.Options{Totals: []string{"debit"}, Declared: declared})
	if err != nil {
		fmt.Println(err)
		return
	}
	fmt.Printf("%d rows, debit %s\n", result.Rows, result.Totals[0].Money())
	for _, f := range result.Findings {
		fmt.Printf("%s %s: %s\n", f.Severity, f.Kind, f.Message)
	}
	// Output:
	// 2 rows, debit 50.00
	// stop control-total: declared 300.00, found 50.00, difference -250.00
	// stop row-count: declared 3 rows, 2 arrived: 1 missing
}
