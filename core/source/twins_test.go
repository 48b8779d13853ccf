package source

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"
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

// Twins are the same whether they are found while heads are looked at or afterwards, and whether there is memory to
// keep what was read or not; and what is read from what was kept is what stands in the files.
func TestTwinsOfALook(t *testing.T) {
	files := make(map[string]string)
	for i := range 300 {
		files[fmt.Sprintf("f%03d.csv", i)] = fmt.Sprintf("key,value\nK%02d,%d\n", i%40, i%7)
	}
	files["archive.csv"] = "key,value\n" + strings.Repeat("K1,2\n", 20_000)
	files["archive2.csv"] = files["archive.csv"]
	files["empty.csv"], files["mark.csv"] = "", "\ufeffkey,value\nK00,1\n"
	files["other.csv"], files["other2.csv"] = "key,value\nZ\xfcrich,1\n", "key,value\nZ\xfcrich,1\n"
	dir := folder(t, files)
	find := func() *Set {
		set, err := Find(t.Context(), Search{Paths: []string{dir}, Jobs: 2})
		if err != nil {
			t.Fatal(err)
		}
		return set
	}
	want, err := find().Twins(t.Context(), 2, nil)
	if err != nil || len(want) < 20 {
		t.Fatalf("%d groups, %v", len(want), err)
	}
	for _, memory := range []int64{0, 1 << 12, 1 << 16, 1 << 30} {
		set := find()
		reading := Reading{Jobs: 2, Memory: memory}
		if err := set.Look(t.Context(), reading); err != nil {
			t.Fatal(err)
		}
		twins, err := set.Twins(t.Context(), 2, nil)
		if err != nil || fmt.Sprint(twins) != fmt.Sprint(want) {
			t.Errorf("with %d bytes twins are %v, want %v, error %v", memory, twins, want, err)
		}
		visitor := &recordVisitor{of: make([][]string, len(set.Sources))}
		if err := set.Scan(t.Context(), reading, func() Visitor { return visitor }); err != nil {
			t.Fatal(err)
		}
		for i, records := range visitor.of {
			text := strings.ReplaceAll(files[set.Sources[i].Name], "\xfc", "ü")
			lines := strings.Split(strings.TrimSpace(text), "\n")
			if got := strings.Join(records, "\n"); got != strings.Join(lines[1:], "\n") {
				t.Errorf("with %d bytes %s holds %.60q", memory, set.Sources[i].Name, got)
			}
		}
	}
}

// recordVisitor keeps the records of each source as they were sent.
type recordVisitor struct {
	mutex sync.Mutex
	of    [][]string
}

func (v *recordVisitor) Batch(b *Batch) error {
	v.mutex.Lock()
	defer v.mutex.Unlock()
	for row := range b.Batch.Rows {
		v.of[b.Index] = append(v.of[b.Index], string(b.Raw(row)))
	}
	return nil
}

func (v *recordVisitor) Flush(context.Context, int) error { return nil }
