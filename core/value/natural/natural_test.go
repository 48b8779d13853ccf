package natural

import (
	"math/rand/v2"
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

// Sort has the order of Compare, whatever the texts begin with.
func TestSort(t *testing.T) {
	r := rand.New(rand.NewPCG(2031, 6))
	for _, alphabet := range []string{"01", "a1", "a09_.", "\xff0a"} {
		for _, front := range []string{"", "branch_", "branch_00", "x1"} {
			var texts []string
			for range 300 {
				text := []byte(front)
				for range r.IntN(14) {
					text = append(text, alphabet[r.IntN(len(alphabet))])
				}
				texts = append(texts, string(text))
			}
			want := slices.Clone(texts)
			slices.SortStableFunc(want, Compare)
			if Sort(texts, func(s *string) string { return *s }); !slices.Equal(texts, want) {
				t.Fatalf("of %q behind %q the order is\n%q\n%q", alphabet, front, texts, want)
			}
		}
	}
}
