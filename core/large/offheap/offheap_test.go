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
