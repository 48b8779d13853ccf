package amount

import (
	"bytes"
	"cmp"
	"testing"
)

func TestKeysAreInTheOrderOfTheAmounts(t *testing.T) {
	rising := []string{
		"-123456789012345678901234567890", "-1000", "-999.99", "-100.01", "-100", "-20", "-2", "-1.5", "-1", "-0.011",
		"-0.01",
		"0", "0.01", "0.011", "0.1", "1", "1.05", "1.5", "2", "10", "15", "20", "99.99", "100", "999.99", "1000",
		"123456789012345678901234567890", "123456789012345678901234567891",
	}
	for i, a := range rising {
		for k, b := range rising {
			x, _ := Parse([]byte(a), '.')
			y, _ := Parse([]byte(b), '.')
			if got := bytes.Compare(x.AppendKey(nil), y.AppendKey(nil)); got != cmp.Compare(i, k) {
				t.Errorf("the keys of %s and %s compare as %d", a, b, got)
			}
		}
	}
}

// FuzzKey compares keys with what Cmp says, and reads them back.
func FuzzKey(f *testing.F) {
	f.Add(int64(0), 0, int64(0), 3)
	f.Add(int64(150), 2, int64(15), 1)
	f.Add(int64(-1), 18, int64(-10), 0)
	f.Fuzz(func(t *testing.T, a int64, scaleA int, b int64, scaleB int) {
		x, y := New(a, int(uint(scaleA)%40)), New(b, int(uint(scaleB)%40))
		keyX, keyY := x.AppendKey(nil), y.AppendKey([]byte{7})[1:]
		if got, want := bytes.Compare(keyX, keyY), x.Cmp(y); got != want {
			t.Errorf("the keys of %s and %s compare as %d, the amounts as %d", x, y, got, want)
		}
		if back, err := FromKey(keyX); err != nil || back.Cmp(x) != 0 {
			t.Errorf("the key of %s gives back %s, %v", x, back, err)
		}
	})
}

func TestSqrt(t *testing.T) {
	for square, want := range map[string]string{"0": "0", "2.25": "1.5", "144": "12",
		"2": "1.414213562373095048801688724209698"} {
		a, _ := Parse([]byte(square), '.')
		if root, ok := a.Sqrt(); !ok || root.String() != want {
			t.Errorf("the root of %s is %s, %v; want %s", square, root, ok, want)
		}
	}
	if _, ok := New(-1, 0).Sqrt(); ok {
		t.Error("a negative amount has a root")
	}
}
