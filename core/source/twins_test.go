package source

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

func TestTwins(t *testing.T) {
	large := strings.Repeat("1,some text\n", 60_000) // more than one buffer
	dir := folder(t, map[string]string{
		"a.csv": "k,v\n1,x\n", "b.csv": "k,v\n1,x\n", "c.csv": "k,v\n1,y\n", "d.csv": "k,v\n1,x\n", "empty1.csv": "",
		"empty2.csv": "",
		"large1.csv": "k,v\n" + large, "large2.csv": "k,v\n" + large, "large3.csv": "k,v\n" + large[:len(large)-2] +
			"!\n",
	})
	set, err := Find(context.Background(), Search{Paths: []string{dir}, Jobs: 2})
	if err != nil {
		t.Fatal(err)
	}
	names := func(twins [][]int) string {
		var groups []string
		for _, group := range twins {
			var of []string
			for _, i := range group {
				of = append(of, set.Sources[i].Name)
			}
			groups = append(groups, strings.Join(of, "="))
		}
		return strings.Join(groups, " ")
	}
	for _, c := range []struct {
		rule   string
		wanted func(int) bool
		want   string
	}{
		{"all", nil, "a.csv=b.csv=d.csv large1.csv=large2.csv"},
		{"without the first", func(i int) bool { return set.Sources[i].Name != "a.csv" },
			"b.csv=d.csv large1.csv=large2.csv"},
		{"none", func(i int) bool { return false }, ""},
	} {
		twins, err := set.Twins(context.Background(), 2, c.wanted)
		if err != nil || names(twins) != c.want {
			t.Errorf("%s: %q, error %v", c.rule, names(twins), err)
		}
	}
	// Two with one fingerprint are still compared byte by byte.
	groups, err := set.confirm([]int{0, 1, 2, 3})
	if err != nil || fmt.Sprint(groups) != "[[0 1 3]]" {
		t.Errorf("of four with one fingerprint, equal are %v, error %v", groups, err)
	}
	if err := os.Remove(filepath.Join(dir, "b.csv")); err != nil {
		t.Fatal(err)
	}
	if _, err := set.Twins(context.Background(), 2, nil); err == nil || !strings.Contains(err.Error(), "b.csv") {
		t.Errorf("a file that is gone: %v", err)
	}
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	if _, err := set.Twins(ctx, 2, nil); err == nil {
		t.Error("nobody stops")
	}
}
