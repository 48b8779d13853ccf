package source

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"
)

// earlyFolder holds files of all kinds that Find may read, and some that it leaves to Look.
func earlyFolder(t *testing.T) (path string, small []string) {
	t.Helper()
	files := make(map[string]string)
	for i := range 3000 {
		text := fmt.Sprintf("doc,amount\nD%d,%d.50\n", i%700, i%700) // four times each
		switch i % 10 {
		case 7:
			text = "\xff\xfe" + strings.Join(strings.Split(text, ""), "\x00") + "\x00"
		case 8:
			text = "\ufeff" + text
		case 9:
			files[fmt.Sprintf("f%04d.csv.gz", i)] = zipped(t, text)
			continue
		}
		files[fmt.Sprintf("f%04d.csv", i)] = text
	}
	for name := range files {
		small = append(small, name)
	}
	files["empty.csv"] = ""
	files["large.csv"] = "doc,amount\n" + strings.Repeat("L,1.00\n", 20_000)
	files["list.json"] = `[{"doc": "J", "amount": 5}]`
	return folder(t, files), small
}

// recordsOf are the records of a set that was looked at, with their sources, in order.
func recordsOf(t *testing.T, set *Set, reading Reading) []string {
	t.Helper()
	if err := set.Look(context.Background(), reading); err != nil {
		t.Fatal(err)
	}
	return scanned(t, set, reading)
}

func scanned(t *testing.T, set *Set, reading Reading) []string {
	t.Helper()
	var mutex sync.Mutex
	var records []string
	err := set.Scan(context.Background(), reading, func() Visitor {
		return failingVisitor(func(b *Batch) error {
			mutex.Lock()
			defer mutex.Unlock()
			var scratch []byte
			for row := range b.Batch.Rows {
				records = append(records, fmt.Sprintf("%s:%d %s %s", set.Sources[b.Index].Name, b.Line(row),
					strings.Clone(string(b.Text(row, 0, &scratch))), string(b.Text(row, 1, &scratch))))
			}
			return nil
		})
	})
	if err != nil {
		t.Fatal(err)
	}
	slices.Sort(records)
	return records
}

func findEarly(t *testing.T, path string, early int64) *Set {
	t.Helper()
	set, err := Find(context.Background(), Search{Paths: []string{path}, Jobs: 3, Early: early, patience: time.Hour})
	if err != nil {
		t.Fatal(err)
	}
	return set
}

// Small texts that Find has read are not read again, and are what they would be if Look had read them, however much
// memory there is.
func TestEarlyTextsAreReadOnce(t *testing.T) {
	path, small := earlyFolder(t)
	reading := Reading{Jobs: 3, Memory: 1 << 28}
	want := recordsOf(t, findEarly(t, path, 0), reading)
	if len(want) != 3000+20_000+1 {
		t.Fatalf("there are %d records", len(want))
	}
	for _, memory := range []int64{1 << 28, 64 << 10, 1} {
		reading.Memory = memory
		if got := recordsOf(t, findEarly(t, path, memory), reading); !slices.Equal(got, want) {
			t.Errorf("%d bytes of memory: %d records, want %d", memory, len(got), len(want))
		}
	}
	reading.Memory = 1 << 28
	slow, err := Find(context.Background(), Search{Paths: []string{path}, Jobs: 3, Early: 1 << 28, patience: 1})
	if err != nil {
		t.Fatal(err)
	}
	if got := recordsOf(t, slow, reading); !slices.Equal(got, want) {
		t.Errorf("on a slow disk: %d records, want %d", len(got), len(want))
	}
	set := findEarly(t, path, reading.Memory)
	for _, name := range small {
		if err := os.Remove(filepath.Join(path, name)); err != nil {
			t.Fatal(err)
		}
	}
	if got := recordsOf(t, set, reading); !slices.Equal(got, want) {
		t.Errorf("without the small files: %d records, want %d", len(got), len(want))
	}
}

// A copy of a set, and a part of it, read files for themselves, and leave the set what Find has read for it.
func TestEarlyTextsAreOfOneSet(t *testing.T) {
	path, _ := earlyFolder(t)
	reading := Reading{Jobs: 3, Memory: 1 << 28}
	want := recordsOf(t, findEarly(t, path, 0), reading)
	set := findEarly(t, path, reading.Memory)
	var indices []int
	for i := range set.Sources {
		indices = append(indices, i)
	}
	looks, scans := *set, *set
	looks.Sources, scans.Sources = slices.Clone(set.Sources), slices.Clone(set.Sources)
	for _, got := range [][]string{scanned(t, &scans, reading), recordsOf(t, &looks, reading),
		recordsOf(t, set.Subset(indices), reading), recordsOf(t, set, reading), recordsOf(t, set, reading)} {
		if !slices.Equal(got, want) {
			t.Errorf("%d records, want %d", len(got), len(want))
		}
	}
}

// A file that has changed since it was found is told as one, also if Find has read it.
func TestEarlyTextsBelongToTheirState(t *testing.T) {
	path := folder(t, map[string]string{"a.csv": "doc,amount\nA,1\n", "b.csv": "doc,amount\nB,2\n"})
	set := findEarly(t, path, 1<<28)
	if err := os.WriteFile(filepath.Join(path, "a.csv"), []byte("doc,amount\nA,1\nA,2\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	got := recordsOf(t, set, Reading{Jobs: 1, Memory: 1 << 28})
	if want := []string{"a.csv:2 A 1", "b.csv:2 B 2"}; !slices.Equal(got, want) {
		t.Errorf("records are %q, want those of the files that were found, %q", got, want)
	}
	if _, err := set.Hashes(context.Background(), 1); err == nil || !strings.Contains(err.Error(), "changed") {
		t.Errorf("error of a file that has changed is %v", err)
	}
}

// Of a file that is found twice, in a folder and by its own path, the records are there once, and all memory is given
// back.
func TestEarlyTextsOfFilesFoundTwice(t *testing.T) {
	path, small := earlyFolder(t)
	reading := Reading{Jobs: 3, Memory: 1 << 28}
	want := recordsOf(t, findEarly(t, path, 0), reading)
	paths := []string{filepath.Join(path, small[0]), path, filepath.Join(path, "*7.csv"), path}
	set, err := Find(context.Background(), Search{Paths: paths, Jobs: 3, Early: 1 << 28, patience: time.Hour})
	if err != nil {
		t.Fatal(err)
	}
	pieces := set.kept.pieces
	if got := recordsOf(t, set, reading); !slices.Equal(got, want) {
		t.Errorf("%d records, want %d", len(got), len(want))
	}
	for _, p := range pieces {
		if p.memory.Bytes() != nil {
			t.Fatal("memory is not given back")
		}
	}
}
