package source

import (
	"context"
	"io"
	"sync"
)

// Ordered writes what the tasks of a scan make in the order of the tasks,
// whichever ends first. A task that is far ahead waits, so that little is held.
type Ordered struct {
	writer io.Writer
	ahead  int

	mutex   sync.Mutex
	turn    sync.Cond
	next    int
	waiting map[int][]byte
	spare   [][]byte
	err     error
}

// NewOrdered makes an Ordered that lets tasks be ahead of their turn by at
// most ahead.
func NewOrdered(writer io.Writer, ahead int) *Ordered {
	o := &Ordered{writer: writer, ahead: ahead, waiting: make(map[int][]byte)}
	o.turn.L = &o.mutex
	return o
}

// Deliver hands over what a task made and returns an empty buffer for the next
// one. Every task must deliver, if only nothing. A task that waits for its
// turn does so until ctx ends, as the one it waits for may have failed.
func (o *Ordered) Deliver(ctx context.Context, task int, made []byte) ([]byte, error) {
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
		return nil, o.err
	}
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	o.waiting[task] = made
	for {
		buffer, ok := o.waiting[o.next]
		if !ok {
			break
		}
		delete(o.waiting, o.next)
		o.next++
		if len(buffer) > 0 {
			if _, err := o.writer.Write(buffer); err != nil {
				o.err = err
				break
			}
		}
		o.spare = append(o.spare, buffer[:0])
	}
	o.turn.Broadcast()
	if o.err != nil {
		return nil, o.err
	}
	if n := len(o.spare); n > 0 {
		buffer := o.spare[n-1]
		o.spare = o.spare[:n-1]
		return buffer, nil
	}
	return nil, nil
}
