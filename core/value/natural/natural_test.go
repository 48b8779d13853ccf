package natural

import (
	"reflect"
	"slices"
	"strings"
	"testing"
)

func TestNaturalOrder(t *testing.T) {
	want := []string{"a1.csv", "a2.csv", "a02.csv", "a10.csv", "b", "b1x2", "b1x10", "c20310101", "c20310102", "d"}
	got := slices.Clone(want)
	slices.Reverse(got)
	slices.SortFunc(got, Compare)
	// a02 and a2 are the same number; between them the bytes decide
	slices.SortFunc(want[1:3], strings.Compare)
	if !reflect.DeepEqual(got, want) {
		t.Errorf("order is %v, want %v", got, want)
	}
	if Compare("x7", "x7") != 0 || Compare("x7", "x07") == 0 {
		t.Error("only equal texts are equal")
	}
}
