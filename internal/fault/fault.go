// Package fault breaks the engine on purpose, so that tests can show what a
// broken engine does: it writes nothing. Outside of tests no fault is ever set.
package fault

import (
	"errors"
	"math"
	"sync/atomic"
)

// Fault is a way in which an engine may be broken.
type Fault int32

// The faults. Each strikes once in a run, between reading and result.
const (
	None         Fault = iota
	DropRecord         // a record that was read gets lost
	DoubleRecord       // one is handed on twice
	ChangeAmount       // an amount is another one than was read
)

var current atomic.Int32

// Set sets a fault, until restore is called.
func Set(f Fault) (restore func()) {
	current.Store(int32(f))
	return func() { current.Store(int32(None)) }
}

// IsSet tells whether a fault is set, and has not yet struck.
func IsSet() bool { return current.Load() != int32(None) }

// Strikes tells whether a fault is to happen now, which it does once.
func Strikes(f Fault) bool {
	return current.Load() == int32(f) && current.CompareAndSwap(int32(f), int32(None))
}

// ErrFull is what writing returns while the disk is full.
var ErrFull = errors.New("no space left on the device")

// never is how much is written before the disk is full, outside of tests.
const never = math.MaxInt64

var room atomic.Int64

func init() { room.Store(never) }

// FillDisk lets n writes succeed, and none that follow, until restore is called. A write is one of the bytes of an
// output, of bringing them down to the disk, and of making a file or giving it its name.
func FillDisk(n int64) (restore func()) {
	room.Store(n)
	return func() { room.Store(never) }
}

// Write returns ErrFull where the disk is full.
func Write() error {
	if room.Load() != never && room.Add(-1) < 0 {
		return ErrFull
	}
	return nil
}
