package gauge_test

import (
	"context"
	"fmt"

	"lastblock/core/capability/gauge"
	"lastblock/internal/sourcetest"
)

// Two branches write the same amount in their own ways.
func Example() {
	set, remove := sourcetest.Example("", map[string]string{
		"corvane.csv":   "document;debit\nC1;1.250,00\nC2;100,00\n",
		"dunmarrow.csv": "document,debit\nD1,\"1,250.0\"\nD2,\n",
	})
	defer remove()
	r, err := gauge.Run(context.Background(), set, sourcetest.Reading, gauge.Options{Frequent: 1})
	if err != nil {
		fmt.Println(err)
		return
	}
	debit := r.Columns[1]
	fmt.Printf("%d values, %d blank, %d different, sum %s\n", debit.Count, debit.Blank, debit.Distinct,
		debit.Sum.Money())
	fmt.Printf("median %s, most often %s\n", debit.Median.Money(), debit.Frequent[0].Text)
	// Output:
	// 3 values, 1 blank, 2 different, sum 2,600.00
	// median 1,250.00, most often 1250.00
}
