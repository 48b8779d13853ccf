package prove_test

import (
	"context"
	"fmt"

	"lastblock/core/capability/prove"
	"lastblock/internal/sourcetest"
)

// Two files were joined, in another order and with the amounts written anew.
func Example() {
	parts, removeParts := sourcetest.Example("", map[string]string{
		"part-1.csv": "document,debit\nC1,\"1,100.00\"\n",
		"part-2.csv": "document,debit\nC2,50\nC3,7.5\n",
	})
	defer removeParts()
	whole, removeWhole := sourcetest.Example("", map[string]string{
		"whole.csv": "debit,document\n50.00,C2\n7.50,C3\n1100,C1\n",
	})
	defer removeWhole()
	r, err := prove.Run(context.Background(), parts, whole, sourcetest.Reading, prove.Options{})
	if err != nil {
		fmt.Println(err)
		return
	}
	total, _ := r.Left.Total("debit")
	fmt.Println(r.Equal, r.Left.Rows, total.Money())
	// Output:
	// true 3 1,157.50
}
