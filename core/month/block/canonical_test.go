package block

import (
	"encoding/json"
	"fmt"
	"testing"
	"time"

	"github.com/gowebpki/jcs"
)

// A block is canonical as a whole, however many sources it has, although its parts are written one by one.
func TestBlockIsCanonical(t *testing.T) {
	for _, n := range []int{0, 1, 255, 256, 257, 3000, mostSources + 1} {
		b := Block{Version: Version, Number: 2, Previous: &Link{1, "ab"}, Period: "2031-01", User: "Ada \"<ü>\" \u2028",
			Time: time.Date(2031, 2, 3, 4, 5, 6, 7, time.UTC), Reason: "\U0001F9FE é\n", Later: []string{"b", "a"}}
		for i := range n {
			b.Sources = append(b.Sources, Source{Source: fmt.Sprintf("ä/%d <&>.csv", i), Rows: i,
				Totals: []Total{{"debit", "1.50"}, {"credit", fmt.Sprint(-i)}}})
		}
		got, err := b.Encode()
		if err != nil {
			t.Fatal(err)
		}
		want, err := jcs.Transform(got)
		if err != nil || string(got) != string(want) {
			t.Fatalf("%d sources: %v; the block is\n%.2000s\nwant\n%.2000s", n, err, got, want)
		}
		if !hasItsBody(got) {
			t.Errorf("%d sources: the body is not that of the block", n)
		}
		var read Block
		if err := json.Unmarshal(got, &read); err != nil {
			t.Fatal(err)
		}
		listed := n
		if n > mostSources {
			listed = 0
		}
		if read.SourceCount != n || len(read.Sources) != listed || read.User != b.User || read.Reason != b.Reason {
			t.Errorf("%d sources: %d and %d were read, of %q, %q", n, read.SourceCount, len(read.Sources), read.User,
				read.Reason)
		}
		for i, s := range read.Sources {
			if fmt.Sprint(s) != fmt.Sprint(b.Sources[i]) {
				t.Fatalf("source %d is %v, want %v", i, s, b.Sources[i])
			}
		}
	}
}
