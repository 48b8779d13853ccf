package source

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"sync/atomic"
	"testing"

	"lastblock/core/record"
)

// What Look keeps is read by the Scan that follows, whoever reads it and however often it stands there, and is given
// back; a Scan after that reads the files.
func TestKeptTextsAreGivenBack(t *testing.T) {
	files, want := make(map[string]string), int64(0)
	for i := range 400 {
		lines := i%90 + 1 // many of the files are like another one
		if i%7 == 0 {
			lines = 900 + i%100 // a text that takes a large part of a piece
		}
		files[fmt.Sprintf("f%03d.csv", i)] = "text,n\n" + strings.Repeat(strings.Repeat("x", 58)+",1\n", lines)
		want += int64(lines)
	}
	files["own.csv"] = "text," + record.SourceColumn + "," + record.LineColumn + "\nx,a,1\n" // passed over, but read
	path := folder(t, files)
	for _, jobs := range []int{1, 3} {
		for name, fails := range map[string]bool{"read": false, "given up": true} {
			set, err := Find(context.Background(), Search{Paths: []string{path}, Jobs: jobs})
			if err != nil {
				t.Fatal(err)
			}
			reading := Reading{Jobs: jobs, Memory: 1 << 28}
			if err := set.Look(context.Background(), reading); err != nil {
				t.Fatal(err)
			}
			if set.kept == nil || len(set.kept.pieces) < 2 {
				t.Fatal("nothing is kept")
			}
			pieces := set.kept.pieces
			for scan := range 2 {
				var rows atomic.Int64
				failure := errors.New("enough")
				err := set.Scan(context.Background(), reading, func() Visitor {
					return failingVisitor(func(b *Batch) error {
						if rows.Add(int64(b.Batch.Rows)); fails && scan == 0 && rows.Load() > 1000 {
							return failure
						}
						return nil
					})
				})
				switch {
				case fails && scan == 0:
					if !errors.Is(err, failure) {
						t.Errorf("error is %v", err)
					}
				case err != nil || rows.Load() != want:
					t.Errorf("%s, %d jobs, scan %d: %d rows, want %d; %v", name, jobs, scan, rows.Load(), want, err)
				}
				for _, p := range pieces {
					if p.memory.Bytes() != nil {
						t.Fatalf("%s, %d jobs: memory is not given back", name, jobs)
					}
				}
			}
		}
	}
}

type failingVisitor func(b *Batch) error

func (v failingVisitor) Batch(b *Batch) error             { return v(b) }
func (v failingVisitor) Flush(context.Context, int) error { return nil }
