package collate_test

import (
	"context"
	"fmt"
	"os"

	"lastblock/core/capability/collate"
	"lastblock/internal/sourcetest"
)

// Two branches send the same columns in another order, and one a column more.
func Example() {
	set, remove := sourcetest.Example("{entity}_{period}", map[string]string{
		"brackenfell_2031-01.csv": "document,debit\nB1,10.00\n",
		"corvane_2031-01.csv":     "debit;season;document\n7,50;winter;C1\n",
	})
	defer remove()
	ctx := context.Background()
	plan, err := collate.Prepare(ctx, set, sourcetest.Reading, collate.Options{Delimiter: ','})
	if err != nil {
		fmt.Println(err)
		return
	}
	os.Stdout.Write(plan.Header())
	result, err := plan.Write(ctx, os.Stdout)
	if err != nil {
		fmt.Println(err)
		return
	}
	fmt.Printf("read %d = used %d\n", result.Proof.Read, result.Proof.Used)
	// Output:
	// document,debit,season,entity,period,source,source_line
	// B1,10.00,,brackenfell,2031-01,brackenfell_2031-01.csv,2
	// C1,"7,50",winter,corvane,2031-01,corvane_2031-01.csv,2
	// read 2 = used 2
}
