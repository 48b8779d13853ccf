package reconcile_test

import (
	"context"
	"fmt"

	"lastblock/core/capability/reconcile"
	"lastblock/internal/sourcetest"
)

func Example() {
	here, remove := sourcetest.Example("", map[string]string{"passes.csv": "pass_no,amount\nP1,40.00\nP2,55.00\n" +
		"P3,12.00\n"})
	defer remove()
	there, removeToo := sourcetest.Example("",
		map[string]string{"statement.csv": "pass_no,amount\nP1,40.00\nP2,50.00\nP4,9.00\n"})
	defer removeToo()
	ctx := context.Background()
	sides, err := reconcile.Read(ctx, here, there, sourcetest.Reading,
		reconcile.Options{Keys: [][]string{{"pass_no"}}, Totals: []string{"amount"}})
	if err != nil {
		fmt.Println(err)
		return
	}
	result, err := sides.Match(ctx, reconcile.Writing{})
	if err != nil {
		fmt.Println(err)
		return
	}
	defer result.Close()
	for _, line := range result.Statement.Lines {
		fmt.Println(line.Label, line.Count, line.Amounts[0])
	}
	// Output:
	// total per records 3 107.00
	// less only in the records -1 -12.00
	// plus only in the reference 1 9.00
	// amount: other amounts (1 pair) 0 -5.00
	// total per reference 3 99.00
}
