package inorder

import (
	"context"
	"errors"
	"fmt"
	"os"
	"strings"
	"sync"
	"testing"
)

// Queue takes what tasks make in their order, and a task too far ahead waits
// until ctx ends.
func TestQueue(t *testing.T) {
	var taken []int
	order := NewQueue(100, func(n int) error {
		taken = append(taken, n)
		if n == 7 {
			return os.ErrInvalid
		}
		return nil
	})
	for _, task := range []int{2, 0, 1, 5, 4, 3} {
		if err := order.Deliver(t.Context(), task, task); err != nil {
			t.Fatal(err)
		}
	}
	if fmt.Sprint(taken) != "[0 1 2 3 4 5]" {
		t.Errorf("taken in the order %v", taken)
	}
	if err := order.Deliver(t.Context(), 7, 7); err != nil {
		t.Errorf("what waits for its turn fails: %v", err)
	}
	if err := order.Deliver(t.Context(), 6, 6); err != os.ErrInvalid {
		t.Errorf("error %v", err)
	}
	ended, cancel := context.WithCancel(t.Context())
	cancel()
	if err := NewQueue(1, func(int) error { return nil }).Deliver(ended, 9, 9); err != context.Canceled {
		t.Errorf("error %v", err)
	}
}

func TestWriterPutsTasksInOrder(t *testing.T) {
	var out strings.Builder
	o := NewWriter(&out, 3)
	var group sync.WaitGroup
	for worker := range 4 {
		group.Go(func() {
			for task := worker; task < 100; task += 4 {
				if _, err := o.Deliver(context.Background(), task, fmt.Appendf(nil, "%d ", task)); err != nil {
					t.Error(err)
				}
			}
		})
	}
	group.Wait()
	var want strings.Builder
	for task := range 100 {
		fmt.Fprintf(&want, "%d ", task)
	}
	if out.String() != want.String() {
		t.Errorf("order is %s", out.String())
	}
}

func TestWriterDoesNotWaitWhenAllIsOver(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	o := NewWriter(&strings.Builder{}, 1)
	failed := make(chan error)
	go func() {
		_, err := o.Deliver(ctx, 9, nil) // far ahead of its turn
		failed <- err
	}()
	cancel()
	if err := <-failed; !errors.Is(err, context.Canceled) {
		t.Errorf("error is %v", err)
	}
}
