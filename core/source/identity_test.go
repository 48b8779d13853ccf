package source

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"
)

// Whatever somebody does to a file while it is read, or between the readings of one
// run, is an error that names it; and what nobody touches is none.
func TestASourceThatChanges(t *testing.T) {
	text := "k,amount\n" + strings.Repeat("x,1.50\n", 100_000) // of several stretches
	for name, touch := range map[string]func(path string) error{
		"appended to": func(path string) error {
			file, err := os.OpenFile(path, os.O_APPEND|os.O_WRONLY, 0)
			if err != nil {
				return err
			}
			_, err = file.WriteString("y,2.50\n")
			return errors.Join(err, file.Close())
		},
		"shortened": func(path string) error { return os.Truncate(path, 400_000) },
		"rewritten with as many bytes": func(path string) error {
			return os.WriteFile(path, []byte(strings.ReplaceAll(text, "1.50", "2.50")), 0o644)
		},
		"touched": func(path string) error { return os.Chtimes(path, time.Time{}, time.Unix(1_900_000_000, 0)) },
		"replaced by another file": func(path string) error {
			if err := os.WriteFile(path+".new", []byte(text), 0o644); err != nil {
				return err
			}
			return os.Rename(path+".new", path)
		},
		"not touched": func(string) error { return nil },
	} {
		for _, when := range []string{"while it is read", "between two readings", "after a look"} {
			for _, jobs := range []int{1, 3} {
				path := filepath.Join(folder(t, map[string]string{"x.csv": text}), "x.csv")
				set, err := Find(context.Background(), Search{Paths: []string{path}})
				if err != nil {
					t.Fatal(err)
				}
				reading := Reading{Jobs: jobs, Memory: 1 << 26}
				change := func() {
					if err := touch(path); err != nil {
						t.Error(err)
					}
				}
				quiet := visitFunc(func(*Batch) {})
				visitor := quiet
				switch when {
				case "while it is read":
					visitor = func(b *Batch) {
						if b.First {
							change()
						}
					}
				case "between two readings":
					if err := set.Scan(context.Background(), reading, func() Visitor { return quiet }); err != nil {
						t.Fatal(err)
					}
					change()
				default:
					if err := set.Look(context.Background(), reading); err != nil {
						t.Fatal(err)
					}
					change()
				}
				err = set.Scan(context.Background(), reading, func() Visitor { return visitor })
				want := name != "not touched"
				if name == "replaced by another file" && when == "while it is read" {
					want = false // what is open is still the file that was found, and is read whole
				}
				if errors.Is(err, ErrChanged) != want || want && !strings.Contains(err.Error(), "x.csv") || !want &&
					err != nil {
					t.Errorf("%s %s, %d jobs: error is %v", name, when, jobs, err)
				}
			}
		}
	}
}
