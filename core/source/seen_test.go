package source

import (
	"context"
	"os"
	"path/filepath"
	"testing"
	"time"
)

// A file that was seen is not hashed again while its size, time and number are the same, whichever way they
// change; one that was just written to is.
func TestFilesThatWereSeen(t *testing.T) {
	dir := t.TempDir()
	path, cache := filepath.Join(dir, "a.csv"), filepath.Join(t.TempDir(), "seen")
	day := time.Date(2031, 4, 2, 9, 0, 0, 0, time.UTC)
	write := func(text string, at time.Time) {
		t.Helper()
		if err := os.WriteFile(path, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
		if err := os.Chtimes(path, at, at); err != nil {
			t.Fatal(err)
		}
	}
	hash := func() string {
		t.Helper()
		set, err := Find(context.Background(), Search{Paths: []string{dir}, Jobs: 1})
		if err != nil {
			t.Fatal(err)
		}
		seen := ReadSeen(cache)
		hashes, err := set.HashesSeen(context.Background(), 1, seen)
		if err != nil || len(hashes) != 1 {
			t.Fatalf("%v: %v", err, hashes)
		}
		if err := seen.Write(cache); err != nil {
			t.Fatal(err)
		}
		return hashes[0].SHA256
	}
	write("doc,v\n1,2\n", day.AddDate(-20, 0, 0))
	one := hash()
	write("doc,v\n1,3\n", day.AddDate(-20, 0, 0)) // which nobody can see without reading it
	if hash() != one {
		t.Error("it is read again in a state that was seen")
	}
	for name, at := range map[string]time.Time{"newer": day.AddDate(-19, 0, 0), "older": day.AddDate(-21, 0, 0)} {
		write("doc,v\n1,3\n", at)
		if hash() == one {
			t.Errorf("with a %s time it is not read again", name)
		}
		write("doc,v\n1,2\n", at.AddDate(0, 1, 0))
		hash()
	}
	write("doc,v\n1,2\n", time.Now())
	hash()
	write("doc,v\n1,4\n", time.Now())
	if hash() == one {
		t.Error("one that was just written to is not read again")
	}
	if err := os.WriteFile(cache, []byte("a,b\n\"torn"), 0o644); err != nil {
		t.Fatal(err)
	}
	write("doc,v\n1,2\n", day.AddDate(-20, 0, 0))
	if hash() != one {
		t.Error("with a torn cache it has another hash")
	}
}
