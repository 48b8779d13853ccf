package fresh

import "testing"

// What is made is as make makes it, for items that are smaller than a page and larger ones.
func TestMake(t *testing.T) {
	type large [1200]*string
	for _, n := range []int{0, 1, 7, 5000} {
		if small := Make[*string](n); len(small) != n {
			t.Errorf("%d pointers, want %d", len(small), n)
		} else {
			for i, p := range small {
				if p != nil {
					t.Fatalf("pointer %d of %d is not nil", i, n)
				}
			}
		}
		if none := Make[struct{}](n); len(none) != n {
			t.Errorf("%d items without a size, want %d", len(none), n)
		}
	}
	all := Make[large](30)
	for i := range all {
		if all[i] != (large{}) {
			t.Fatalf("item %d is not zero", i)
		}
	}
}
