package offheap

import (
	"bytes"
	"os"
	"strconv"
	"strings"
	"testing"
)

// Memory is there to be written to, and back with the system when it was freed.
func TestMemory(t *testing.T) {
	const size = 64 << 20
	before := resident(t)
	m := New(size)
	if len(m.Bytes()) != size {
		t.Fatalf("%d bytes", len(m.Bytes()))
	}
	if n := bytes.Count(m.Bytes(), []byte{0}); n != size {
		t.Errorf("%d of the bytes are zero", n)
	}
	for i := range m.Bytes() {
		m.Bytes()[i] = byte(i)
	}
	if m.Bytes()[size-1] != 0xff || m.Bytes()[256] != 0 {
		t.Error("what was written is not there")
	}
	used := resident(t)
	m.Free()
	m.Free()
	if m.Bytes() != nil {
		t.Error("freed memory can be used")
	}
	if after := resident(t); used > 0 && (used-before < size/2 || after-before > size/2) {
		t.Errorf("%d bytes before, %d with the memory, %d when it was freed", before, used, after)
	}
}

// Memory that grows keeps what is in it, zeros behind, and goes back whole.
func TestGrown(t *testing.T) {
	const few, many = 1 << 20, 8 << 20
	before := resident(t)
	slots, m := Slice[uint64](few)
	for i := range slots {
		slots[i] = uint64(i + 1)
	}
	more, ok := Grown[uint64](m, many)
	if !ok {
		if len(m.Bytes()) != 8*few || slots[few-1] != few {
			t.Error("memory that does not grow is another one")
		}
		m.Free()
		return
	}
	if len(more) != many || len(m.Bytes()) != 8*many {
		t.Fatalf("%d elements, %d bytes", len(more), len(m.Bytes()))
	}
	for i, n := range more {
		if i < few && n != uint64(i+1) || i >= few && n != 0 {
			t.Fatalf("element %d is %d", i, n)
		}
		more[i] = 1
	}
	m.Free()
	if after := resident(t); after-before > 8*many/2 {
		t.Errorf("%d bytes before, %d when it was freed", before, after)
	}
}

// resident is how much memory the process has; 0 where the system does not tell in this way.
func resident(t *testing.T) int {
	t.Helper()
	text, err := os.ReadFile("/proc/self/statm")
	if err != nil {
		return 0
	}
	pages, err := strconv.Atoi(strings.Fields(string(text))[1])
	if err != nil {
		t.Fatal(err)
	}
	return pages * os.Getpagesize()
}
