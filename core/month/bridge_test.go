package month

import (
	"fmt"
	"testing"

	"lastblock/core/value/amount"
)

// Of more sources of a change than are wanted there is one line, which comes to the same.
func TestShortBridge(t *testing.T) {
	line := func(label, source string, cents int64) BridgeLine {
		return BridgeLine{label, source, amount.New(cents, 2)}
	}
	b := &Bridge{Lines: []BridgeLine{line(LineSealed, "", 1000), line("new", "a", 100), line("new", "b", -50),
		line("new", "c", 25), line("changed", "d", 1), line("gone", "e", 2), line("gone", "f", 3),
		line(LineNow, "", 1081)}}
	for most, want := range map[int]string{
		1: "[{sealed  10.00} {new 3 sources 0.75} {changed d 0.01} {gone 2 sources 0.05} {now  10.81}]",
		2: "[{sealed  10.00} {new 3 sources 0.75} {changed d 0.01} {gone e 0.02} {gone f 0.03} {now  10.81}]",
		3: fmt.Sprint(b.Lines),
	} {
		if got := fmt.Sprint(b.Short(most)); got != want {
			t.Errorf("of %d: %s, want %s", most, got, want)
		}
	}
	if b.Change().String() != "0.81" {
		t.Errorf("it changes by %s", b.Change())
	}
	for range 2 * mostLines {
		b.Lines = append(b.Lines, line("new", "x", 1))
	}
	if sealed := b.Sealed(4); len(sealed.Lines) != 6 || sealed.Since != 4 || sealed.Lines[1].Source != "2003 sources" ||
		sealed.Lines[1].Amount != "20.75" {
		t.Errorf("sealed it is %+v", sealed)
	}
}
