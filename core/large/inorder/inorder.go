// Package inorder puts what tasks make, which end in any order, into the order of the tasks,
// and holds little of it meanwhile.
package inorder

import (
	"context"
	"io"
	"sync"
)

// Queue takes what the tasks of a scan make in the order of the tasks,
// whichever ends first. A task that is far ahead waits, so that little is held.
type Queue[T any] struct {
	take  func(made T) error
	ahead int

	mutex   sync.Mutex
	turn    sync.Cond
	next    int
	waiting map[int]T
	taking  bool // somebody calls take, without holding the mutex
	err     error
}

// NewQueue makes a Queue that lets tasks be ahead of their turn by at most
// ahead. take is called for one task at a time.
func NewQueue[T any](ahead int, take func(made T) error) *Queue[T] {
	o := &Queue[T]{take: take, ahead: ahead, waiting: make(map[int]T)}
	o.turn.L = &o.mutex
	return o
}

// Deliver hands over what a task made. Every task must deliver, if only nothing.
// A task that waits for its turn does so until ctx ends, as the one it waits for
// may have failed. While one goroutine takes, the others leave what they made to it
// and go on.
func (o *Queue[T]) Deliver(ctx context.Context, task int, made T) error {
	o.mutex.Lock()
	defer o.mutex.Unlock()
	if task > o.next+o.ahead {
		defer context.AfterFunc(ctx, func() {
			o.mutex.Lock()
			defer o.mutex.Unlock()
			o.turn.Broadcast()
		})()
	}
	for o.err == nil && ctx.Err() == nil && task > o.next+o.ahead {
		o.turn.Wait()
	}
	if o.err != nil {
		return o.err
	}
	if err := ctx.Err(); err != nil {
		return err
	}
	o.waiting[task] = made
	if o.taking {
		return nil // whoever does goes on with it
	}
	o.taking = true
	for o.err == nil {
		made, ok := o.waiting[o.next]
		if !ok {
			break
		}
		delete(o.waiting, o.next)
		o.next++
		o.mutex.Unlock()
		err := o.take(made)
		o.mutex.Lock()
		o.err = err
		o.turn.Broadcast()
	}
	o.taking = false
	o.turn.Broadcast()
	return o.err
}

// Part hands over a part of what a task makes, ahead of what Deliver hands over of it. It
// waits for the task's turn, and returns when the part was taken.
func (o *Queue[T]) Part(ctx context.Context, task int, made T) error {
	o.mutex.Lock()
	defer o.mutex.Unlock()
	defer context.AfterFunc(ctx, func() {
		o.mutex.Lock()
		defer o.mutex.Unlock()
		o.turn.Broadcast()
	})()
	for o.err == nil && ctx.Err() == nil && (o.next != task || o.taking) {
		o.turn.Wait()
	}
	if o.err != nil {
		return o.err
	}
	if err := ctx.Err(); err != nil {
		return err
	}
	o.taking = true
	o.mutex.Unlock()
	err := o.take(made)
	o.mutex.Lock()
	o.err, o.taking = err, false
	o.turn.Broadcast()
	return err
}

// Writer writes what the tasks of a scan make in the order of the tasks.
type Writer struct {
	order *Queue[[]byte]
	mutex sync.Mutex
	spare [][]byte
}

// NewWriter makes a Writer that lets tasks be ahead of their turn by at
// most ahead.
func NewWriter(writer io.Writer, ahead int) *Writer {
	o := new(Writer)
	o.order = NewQueue(ahead, func(buffer []byte) error {
		if len(buffer) > 0 {
			if _, err := writer.Write(buffer); err != nil {
				return err
			}
		}
		o.mutex.Lock()
		defer o.mutex.Unlock()
		o.spare = append(o.spare, buffer[:0])
		return nil
	})
	return o
}

// Deliver hands over what a task made and returns an empty buffer for the next
// one, as Queue does.
func (o *Writer) Deliver(ctx context.Context, task int, made []byte) ([]byte, error) {
	if err := o.order.Deliver(ctx, task, made); err != nil {
		return nil, err
	}
	return o.buffer(), nil
}

// Part hands over a part of what a task makes, as Queue does, and returns an empty
// buffer for the next one.
func (o *Writer) Part(ctx context.Context, task int, made []byte) ([]byte, error) {
	if err := o.order.Part(ctx, task, made); err != nil {
		return nil, err
	}
	return o.buffer(), nil
}

// buffer is an empty one that was used before, nil where there is none.
func (o *Writer) buffer() []byte {
	o.mutex.Lock()
	defer o.mutex.Unlock()
	n := len(o.spare)
	if n == 0 {
		return nil
	}
	buffer := o.spare[n-1]
	o.spare = o.spare[:n-1]
	return buffer
}
