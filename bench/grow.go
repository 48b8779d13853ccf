package main

import (
	"fmt"
	"strings"
)

// growing are works whose time is to grow as what they read does, and not faster.
func growing() []work { return append(nearMore(), alignMore()...) }

// alignMore are more and more files of 1,000 records put side by side, each measured
// against 250 of them.
func alignMore() []work {
	align := func(files int) []string {
		return []string{"align", fmt.Sprintf("DIR/alike-%d", files), "--key", "account", "--out", "DIR/out/aligned.csv",
			"--replace", "--json"}
	}
	var works []work
	for _, files := range []int{250, 500, 1000} {
		works = append(works, work{
			name: fmt.Sprintf("align, %d files of 1,000 keys", files),
			make: func(dir string) error {
				if err := makeAlike(dir, 250); err != nil {
					return err
				}
				return makeAlike(dir, files)
			},
			command: align(files), yardstick: "DIR/lastblock " + strings.Join(align(250), " "),
			wanted: 1.25 * float64(files) / 250,
		})
	}
	return works
}

// nearMore are searches for records that are almost the same among more and more
// of them, each measured against the one among a million: the ratio is to grow as
// their number does, and not as its square.
func nearMore() []work {
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
