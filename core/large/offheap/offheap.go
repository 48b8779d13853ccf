// Package offheap gives memory that the garbage collector does not look after: large buffers that live for a
// while and are then given back at once. They do not count where the collector decides when to run, and are back with
// the system when they are freed.
package offheap

import "unsafe"

// Memory is a buffer. It must not be used when it was freed.
type Memory struct {
	bytes  []byte
	mapped bool
}

// New takes memory of a size, of zeros. Where the system gives none in this way it is the collector's, as any other.
func New(size int) *Memory {
	if bytes, ok := take(size); ok {
		return &Memory{bytes, true}
	}
	return &Memory{bytes: make([]byte, size)}
}

// Slice is a buffer of n elements of a type that holds no pointers, which the collector would not see. It is good
// until the memory is freed.
func Slice[T any](n int) ([]T, *Memory) {
	var element T
	m := New(n * int(unsafe.Sizeof(element)))
	return unsafe.Slice((*T)(unsafe.Pointer(unsafe.SliceData(m.bytes))), n), m
}

// Grown is the buffer of Slice with more elements: those that it has, and zeros behind them. Nothing is copied, and the
// slice that was there before must not be used. It is not ok where the system cannot do that; the buffer is then as it
// was.
func Grown[T any](m *Memory, n int) (_ []T, ok bool) {
	var element T
	if !m.mapped {
		return nil, false
	}
	bytes, ok := grow(m.bytes, n*int(unsafe.Sizeof(element)))
	if !ok {
		return nil, false
	}
	m.bytes = bytes
	return unsafe.Slice((*T)(unsafe.Pointer(unsafe.SliceData(bytes))), n), true
}

// Bytes is the buffer; nil when it was freed.
func (m *Memory) Bytes() []byte { return m.bytes }

// Free gives the memory back. Freeing it again does nothing.
func (m *Memory) Free() {
	bytes := m.bytes
	if m.bytes = nil; m.mapped && bytes != nil {
		give(bytes)
	}
}
