package rollup_test

import (
	"context"
	"fmt"

	"lastblock/core/capability/rollup"
	"lastblock/internal/sourcetest"
)

// Months across, by company.
func Example() {
	set, remove := sourcetest.Example("{entity}_{period}", map[string]string{
		"corvane_2031-01.csv": "account,debit\n4000,100.00\n",
		"corvane_2031-02.csv": "account,debit\n4000,20.50\n4100,0.25\n",
		"eskerby_2031-02.csv": "account,debit\n4000,7\n",
	})
	defer remove()
	result, err := rollup.Run(context.Background(), set, sourcetest.Reading,
		rollup.Options{By: []string{"entity"}, Sum: []string{"debit"}, Across: "period"})
	if err != nil {
		fmt.Println(err)
		return
	}
	defer result.Close()
	fmt.Println(result.Columns, result.Across)
	err = result.Each(func(row rollup.Row) error {
		fmt.Println(row.Key, row.Cells, "=", row.Sums[0])
		return nil
	})
	if err != nil {
		fmt.Println(err)
		return
	}
	fmt.Println("total", result.Total.Sums[0])
	// Output:
	// [entity] [2031-01 2031-02]
	// [corvane] [[100.00] [20.75]] = 120.75
	// [eskerby] [[] [7]] = 7
	// total 127.75
}
