package source

import (
	"context"
	"errors"
	"fmt"
	"strconv"
	"strings"
	"sync/atomic"
	"testing"

	"lastblock/core/record"
)

// What Look keeps is read by the Scan that follows, whoever reads it, whatever it was packed in and however often it
// stands there, and is given back; a Scan after that reads the files.
func TestKeptTextsAreGivenBack(t *testing.T) {
	files, want := make(map[string]string), int64(0)
	for i := range 800 {
		lines := i%90 + 1 // many of the files are like another one
		if i%7 == 0 {
			lines = 900 + i%100 // a text that takes a large part of a piece
		}
		number := i % 90
		name := fmt.Sprintf("f%03d.csv", i)
		text := "text,n\n" + strings.Repeat(fmt.Sprintf("%s,%d\n", strings.Repeat("x", 58), number), lines)
		switch i % 5 {
		case 3:
			name, text = name+".gz", zipped(t, text)
		case 4:
			text = "\xff\xfe" + strings.Join(strings.Split(text, ""), "\x00") + "\x00" // UTF-16
		}
		files[name] = text
		want += int64(lines * number)
	}
	files["own.csv"] = "text," + record.SourceColumn + "," + record.LineColumn + "\nx,a,1\n" // passed over, but read
	path := folder(t, files)
	for _, jobs := range []int{1, 3, -1, -3} { // below 0 with texts that Find reads
		early := int64(0)
		if jobs < 0 {
			jobs, early = -jobs, 1<<28
		}
		for name, fails := range map[string]bool{"read": false, "given up": true} {
			set, err := Find(context.Background(), Search{Paths: []string{path}, Jobs: jobs, Early: early})
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
				var sum, rows atomic.Int64
				failure := errors.New("enough")
				err := set.Scan(context.Background(), reading, func() Visitor {
					return failingVisitor(func(b *Batch) error {
						var scratch []byte
						for row := range b.Batch.Rows {
							n, err := strconv.Atoi(string(b.Text(row, 1, &scratch)))
							if err != nil {
								return err
							}
							sum.Add(int64(n))
						}
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
				case err != nil || sum.Load() != want:
					t.Errorf(
						"%s, %d jobs, scan %d: the sum is %d, want %d; %v",
						name,
						jobs,
						scan,
						sum.Load(),
						want,
						err,
					)
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
