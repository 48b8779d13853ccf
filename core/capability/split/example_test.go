package split_test

import (
	"context"
	"fmt"
	"io"
	"os"

	"lastblock/core/capability/split"
	"lastblock/internal/sourcetest"
)

// shown prints parts instead of writing files.
type shown struct{}

func (shown) Part(number int, _ string) (io.WriteCloser, error) {
	fmt.Printf("part %d\n", number+1)
	return printed{}, nil
}

type printed struct{}

func (printed) Write(p []byte) (int, error) { return os.Stdout.Write(p) }
func (printed) Close() error                { return nil }

// A file is cut into parts of two records, whose totals are told.
func Example() {
	set, remove := sourcetest.Example("", map[string]string{"journal.csv": "document,debit\nA,1.50\nB,2.25\nC,4.00\n"})
	defer remove()
	r, err := split.Run(context.Background(), set, sourcetest.Reading, split.Options{Rows: 2}, shown{})
	if err != nil {
		fmt.Println(err)
		return
	}
	for _, p := range r.Parts {
		fmt.Println(p.Rows, p.Totals[0].Money())
	}
	// Output:
	// part 1
	// document,debit
	// A,1.50
	// B,2.25
	// part 2
	// document,debit
	// C,4.00
	// 2 3.75
	// 1 4.00
}
