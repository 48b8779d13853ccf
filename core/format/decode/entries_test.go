package decode

import (
	"archive/zip"
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"testing"
)

func emptyEntries(t *testing.T, n int) []byte {
	t.Helper()
	var out bytes.Buffer
	w := zip.NewWriter(&out)
	for i := range n {
		if _, err := w.Create(fmt.Sprintf("b%d_2031-01.csv", i)); err != nil {
			t.Fatal(err)
		}
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}

// Entries are counted before any is kept, whatever the end of the archive says of their number, and whatever stands
// before it; one more than there may be is refused with the count.
func TestEntriesAreCounted(t *testing.T) {
	lying := func(data []byte) []byte { // of which the package that reads it goes on past the count
		binary.LittleEndian.PutUint16(data[len(data)-12:], 1)
		binary.LittleEndian.PutUint16(data[len(data)-14:], 1)
		return data
	}
	for name, c := range map[string]struct {
		data []byte
		want int64
	}{
		"none":                     {emptyEntries(t, 0), 0},
		"some":                     {emptyEntries(t, 10), 10},
		"more than 16 bits hold":   {emptyEntries(t, 70_000), 70_000},
		"a count that is too low":  {lying(emptyEntries(t, 10)), 10},
		"something in front of it": {append([]byte("#!/bin/sh\n"), emptyEntries(t, 10)...), 10},
		"no archive":               {[]byte("account,debit\n"), 0},
		"an end and nothing else":  {[]byte("PK\x05\x06"), 0},
	} {
		r := bytes.NewReader(c.data)
		if got := countEntries(r, r.Size()); got != c.want {
			t.Errorf("%s: %d entries, want %d", name, got, c.want)
		}
		if c.want == 0 {
			continue
		}
		full := new(EntriesError)
		if _, err := OpenArchive(r, r.Size(), c.want-1); !errors.As(err, &full) || full.Count != c.want {
			t.Errorf("%s, one too many: %v", name, err)
		}
		if _, err := OpenArchive(r, r.Size(), c.want); errors.As(err, &full) {
			t.Errorf("%s, as many as there may be: %v", name, err)
		}
	}
}

// No archive that can be opened has more entries than were counted, whatever its end says.
func FuzzEntries(f *testing.F) {
	for _, n := range []int{0, 1, 3} {
		var out bytes.Buffer
		w := zip.NewWriter(&out)
		for i := range n {
			if _, err := w.Create(fmt.Sprint(i)); err != nil {
				f.Fatal(err)
			}
		}
		if err := w.Close(); err != nil {
			f.Fatal(err)
		}
		f.Add(out.Bytes())
		f.Add(append([]byte("in front"), out.Bytes()...))
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		r := bytes.NewReader(data)
		archive, err := zip.NewReader(r, r.Size())
		if err != nil {
			return
		}
		if got := countEntries(r, r.Size()); got < int64(len(archive.File)) {
			t.Errorf("%d entries are counted, and there are %d", got, len(archive.File))
		}
	})
}
