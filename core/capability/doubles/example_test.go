package doubles_test

import (
	"context"
	"fmt"
	"strings"

	"lastblock/core/capability/doubles"
	"lastblock/internal/sourcetest"
)

// A week stands at the end of one journal and at the start of the next one, in
// another shape.
func ExampleFind() {
	set, remove := sourcetest.Example("{entity}_{period}", map[string]string{
		"eskerby_2031-01.csv": "document,posted,debit\nE1,2031-01-20,80.00\nE2,2031-01-29,120.00\n" +
			"E3,2031-01-30,40.00\n",
		"eskerby_2031-02.csv": "posted;document;debit\n29.01.2031;E2;120,00\n30.01.2031;E3;40,00\n" +
			"03.02.2031;E4;95,50\n",
	})
	defer remove()
	result, err := doubles.Find(context.Background(), set, sourcetest.Reading,
		doubles.Options{Totals: []string{"debit"}, Share: doubles.DefaultShare})
	if err != nil {
		fmt.Println(err)
		return
	}
	for _, kind := range result.Kinds {
		fmt.Println(kind.Kind, kind.Findings, "with", kind.Records, "records and", kind.Totals[0], "counted twice")
	}
	fmt.Println(strings.NewReplacer(": ", "\n", "; ", "\n").Replace(result.Findings[0].Message))
	// Output:
	// overlap 1 with 2 records and 160.00 counted twice
	// 2 of its 3 records are in eskerby_2031-02.csv as well, 66.7 % of the smaller file
	// lines 3 to 4 of A, lines 2 to 3 of B, posted 2031-01-29 to 2031-01-30
	// they are the end of A and the start of B
	// 1 record only in A with debit 80.00, 1 record only in B with debit 95.50
	// 2 records with debit 160.00 are counted twice
}
