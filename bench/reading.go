package main

import (
	"context"
	"fmt"
	"io"
	"path/filepath"
	"runtime"
	"strings"

	"lastblock/core/capability/collate"
	"lastblock/core/capability/doubles"
	"lastblock/core/capability/rollup"
	"lastblock/core/capability/tieout"
	"lastblock/core/source"
	"lastblock/core/value/amount"
)

// readTogether reads the ledgers once for several parts, as tieout,rollup, which have no
// command of their own yet. Each part is finished, and prints how many records it has counted.
func readTogether(parts, folder string) error {
	ctx := context.Background()
	reading := source.Reading{Jobs: runtime.GOMAXPROCS(0), Memory: 1 << 30}
	set, err := source.Find(ctx, source.Search{Paths: []string{folder}, Jobs: reading.Jobs})
	if err != nil {
		return err
	}
	control, err := source.ReadTable(ctx, filepath.Join(filepath.Dir(folder), "ledgers-control.csv"), reading, 0)
	if err != nil {
		return err
	}
	if err := set.Look(ctx, reading); err != nil {
		return err
	}
	var members []source.Member
	var finish []func() error
	for part := range strings.SplitSeq(parts, ",") {
		var member source.Member
		switch part {
		case "tieout":
			j := tieout.Prepare(set, reading, tieout.Options{
				Totals: []string{"debit"}, Declared: control,
				Checks: []tieout.Check{&tieout.Balance{Left: "debit", Right: "credit", By: "document"}},
			})
			member, finish = j, append(finish, func() error { _, err := j.Finish(ctx); return err })
		case "doubles":
			j, err := doubles.Prepare(ctx, set, reading,
				doubles.Options{Totals: []string{"debit"}, Share: amount.New(5, 0)})
			if err != nil {
				return err
			}
			member, finish = j, append(finish, func() error { _, err := j.Finish(ctx); return err })
		case "account", "source":
			j, err := rollup.Prepare(ctx, set, reading,
				rollup.Options{By: []string{part}, Sum: []string{"debit", "credit"}})
			if err != nil {
				return err
			}
			member, finish = j, append(finish, func() error {
				result, err := j.Finish()
				if err != nil {
					return err
				}
				defer result.Close()
				_, err = result.Rows()
				return err
			})
		case "collate":
			plan, err := collate.Prepare(ctx, set, reading, collate.Options{Totals: []string{"debit"}, Delimiter: ','})
			if err != nil {
				return err
			}
			j, err := plan.Begin(ctx, io.Discard)
			if err != nil {
				return err
			}
			member, finish = j, append(finish, func() error { _, err := j.Finish(); return err })
		default:
			return fmt.Errorf("there is no part %q", part)
		}
		members = append(members, member)
	}
	if err := set.ScanFor(ctx, reading, members...); err != nil {
		return err
	}
	for i := range members {
		fmt.Println(members[i].Read())
		if err := finish[i](); err != nil {
			return err
		}
	}
	return nil
}

// together are works that read once for several parts.
func together() []work {
	alone := func(parts ...string) string {
		var commands []string
		for _, part := range parts {
			commands = append(commands, "DIR/bench -yardstick reading:"+part+" DIR/ledgers")
		}
		return strings.Join(commands, " && ")
	}
	return []work{
		{
			name: "tieout and rollup in one reading, the dearer", make: makeLedgers, own: true,
			command: []string{"-yardstick", "reading:tieout,account", "DIR/ledgers"}, yardstick: alone("account"),
			wanted: 1.25,
		},
		{
			name: "five in one reading", make: makeLedgers, own: true,
			command:   []string{"-yardstick", "reading:tieout,doubles,account,source,collate", "DIR/ledgers"},
			yardstick: alone("tieout", "doubles", "account", "source", "collate"), wanted: 0.6,
		},
	}
}
