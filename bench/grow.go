package main

import "fmt"

// growing are searches for records that are almost the same among more and more
// of them, each measured against the one among a million: the ratio is to grow as
// their number does, and not as its square.
func growing() []work {
	var works []work
	search := func(millions int) []string {
		return []string{
			"doubles", fmt.Sprintf("DIR/invoices-%d/invoices.csv", millions*1_000_000),
			"--near", "amount:0.01, posted:3d, invoice:1, party:same", "--json",
		}
	}
	for _, millions := range []int{1, 2, 4, 8} {
		yardstick := "DIR/lastblock"
		for _, arg := range search(1) {
			yardstick += " '" + arg + "'"
		}
		works = append(works, work{
			name: fmt.Sprintf("doubles, near among %d million invoices", millions),
			make: func(dir string) error {
				if err := makeInvoices(dir, 1_000_000); err != nil {
					return err
				}
				return makeInvoices(dir, millions*1_000_000)
			},
			command: search(millions), yardstick: yardstick, wanted: 1.25 * float64(millions),
		})
	}
	return works
}
