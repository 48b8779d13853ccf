package source

import (
	"context"
	"errors"
	"fmt"
	"io"
	"strings"
	"testing"
)

// A goroutine has the next stretch already where another one is about to take it, and each stretch is taken once.
func TestSpare(t *testing.T) {
	var text strings.Builder
	text.WriteString("a,b\n")
	lines := 1
	for ; text.Len() < sharedSize+1<<20; lines++ {
		fmt.Fprintf(&text, "%d,some text to fill the line\n", lines)
	}
	dir := folder(t, map[string]string{"a.csv": text.String()})
	set, err := Find(context.Background(), Search{Paths: []string{dir}})
	if err != nil {
		t.Fatal(err)
	}
	f := newFeed(context.Background(), set, Reading{Jobs: 2, Memory: 1 << 30})
	f.tasks = plan(set.Sources)
	ends := make(map[int][2]int) // by stretch: the lines between which it stands
	take := func(w *worker) (number int, ok bool) {
		t.Helper()
		work, err := f.take(w)
		if errors.Is(err, io.EOF) {
			return 0, false
		}
		if err != nil || ends[work.number] != [2]int{} {
			t.Fatalf("stretch %d is taken twice, or with %v", work.number, err)
		}
		ends[work.number] = [2]int{w.batch.block.FirstLine, w.batch.block.LastLine()}
		return work.number, true
	}
	one, other := newWorker(f, nil), newWorker(f, nil)
	for i, w := range []*worker{one, other} {
		if number, ok := take(w); !ok || number != 2*i || !w.spare.isTaken {
			t.Fatalf("stretch %d is taken first, and another one beside it: %v", number, w.spare.isTaken)
		}
	}
	f.mutex.Lock() // by a third
	for i, w := range []*worker{one, other} {
		if number, ok := take(w); !ok || number != 2*i+1 || w.spare.isTaken {
			t.Fatalf("stretch %d is taken, want %d", number, 2*i+1)
		}
	}
	f.mutex.Unlock()
	for _, w := range []*worker{one, other} {
		for _, ok := take(w); ok; _, ok = take(w) {
		}
	}
	next := 1
	for number := range len(ends) {
		if at := ends[number]; number > 0 && at[0] != next {
			t.Errorf("stretch %d begins on line %d, want %d", number, at[0], next)
		}
		next = ends[number][1]
	}
	if next != lines+1 {
		t.Errorf("they end on line %d, want %d", next, lines+1)
	}
}
