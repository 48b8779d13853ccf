package intake_test

import (
	"context"
	"fmt"

	"lastblock/core/capability/intake"
	"lastblock/internal/sourcetest"
)

// What a branch sent, and what its columns are.
func Example() {
	set, remove := sourcetest.Example("", map[string]string{
		"corvane.csv": "posted;account;debit\n31.01.2031;0410;1,200.50\n02.01.2031;0411;(3.00)\n",
	})
	defer remove()
	result, err := intake.Run(context.Background(), set, sourcetest.Reading, intake.Options{})
	if err != nil {
		fmt.Println(err)
		return
	}
	sheet := result.Sources[0]
	fmt.Printf("%d rows, from %s to %s\n", sheet.Rows, sheet.FirstDate, sheet.LastDate)
	for _, column := range sheet.Columns {
		fmt.Println(column.Name, column.Kind)
	}
	// Output:
	// 2 rows, from 2031-01-02 to 2031-01-31
	// posted date
	// account text
	// debit amount
}
