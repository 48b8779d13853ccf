package source

import (
	"os"
	"path/filepath"
	"testing"
	"time"
)

// A file that was seen is not hashed again while nobody has touched it. One that was written to is, with its size and
// its time put back as well.
func TestFilesThatWereSeen(t *testing.T) {
	dir := t.TempDir()
	path := filepath.Join(dir, "a.csv")
	at := time.Date(2025, 4, 2, 9, 0, 0, 0, time.UTC)
	write := func(text string) {
		t.Helper()
		if err := os.WriteFile(path, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
		if err := os.Chtimes(path, at, at); err != nil {
			t.Fatal(err)
		}
	}
	find := func() *Set {
		t.Helper()
		set, err := Find(t.Context(), Search{Paths: []string{dir}, Jobs: 1})
		if err != nil {
			t.Fatal(err)
		}
		return set
	}
	write("doc,v\n1,2\n")
	cache := filepath.Join(t.TempDir(), "seen")
	noted := ReadSeen(cache)
	noted.files[path], noted.more = seenFile{find().Sources[0].identity, "as noted"}, true
	if err := noted.Write(cache); err != nil {
		t.Fatal(err)
	}
	hash := func(seen *Seen) string {
		t.Helper()
		hashes, err := find().HashesSeen(t.Context(), 1, seen)
		if err != nil || len(hashes) != 1 {
			t.Fatalf("%v: %v", err, hashes)
		}
		return hashes[0].SHA256
	}
	if got := hash(ReadSeen(cache)); got != "as noted" {
		t.Errorf("a file that was seen is read again, for %s", got)
	}
	if hash(ReadSeen(cache).Anew()) == "as noted" {
		t.Error("what is to be sealed is not read again")
	}
	write("doc,v\n1,3\n")
	if hash(ReadSeen(cache)) == "as noted" {
		t.Error("a file that was written to, with its size and time put back, is not read again")
	}
	seen := ReadSeen(cache)
	hash(seen)
	if seen.files[path].sha256 != "as noted" {
		t.Error("a file is noted that may be written to again within the same tick of the clock")
	}
	if err := os.WriteFile(cache, []byte("a,b\n\"torn"), 0o644); err != nil {
		t.Fatal(err)
	}
	if len(ReadSeen(cache).files) != 0 {
		t.Error("something was seen by a torn cache")
	}
}
