package source

import (
	"archive/zip"
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"
)

// Each file is hashed once, an archive as a whole, and one that has changed since it was found is an
// error.
func TestHashesOfFiles(t *testing.T) {
	dir := t.TempDir()
	var packed bytes.Buffer
	archive := zip.NewWriter(&packed)
	for _, name := range []string{"x.csv", "y.csv"} {
		w, err := archive.Create(name)
		if err == nil {
			_, err = w.Write([]byte("doc,v\n1,2\n"))
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	if err := archive.Close(); err != nil {
		t.Fatal(err)
	}
	files := map[string][]byte{"a.csv": []byte("doc,v\n1,2\n"), "b.zip": packed.Bytes(),
		"c.csv": []byte("doc,v\n" + strings.Repeat("1,2\n", 1<<19))}
	for name, data := range files {
		if err := os.WriteFile(filepath.Join(dir, name), data, 0o644); err != nil {
			t.Fatal(err)
		}
	}
	set, err := Find(context.Background(), Search{Paths: []string{dir}, Jobs: 1})
	if err != nil || len(set.Sources) != 4 {
		t.Fatalf("%v: %d sources", err, len(set.Sources))
	}
	hashes, err := set.Hashes(context.Background(), 3)
	if err != nil || len(hashes) != 3 {
		t.Fatalf("%v: %v", err, hashes)
	}
	for i, name := range []string{"a.csv", "b.zip", "c.csv"} {
		sum := sha256.Sum256(files[name])
		if filepath.Base(hashes[i].Path) != name || hashes[i].SHA256 != hex.EncodeToString(sum[:]) {
			t.Errorf("hash %d is %+v", i, hashes[i])
		}
	}
	cancelled, cancel := context.WithCancel(context.Background())
	cancel()
	if _, err := set.Hashes(cancelled, 1); !errors.Is(err, context.Canceled) {
		t.Errorf("of a run that was ended: %v", err)
	}
	if err := os.WriteFile(filepath.Join(dir, "a.csv"), []byte("doc,v\n1,3\n2,4\n"), 0o644); err != nil {
		t.Fatal(err)
	}
	var of *Error
	if _, err := set.Hashes(context.Background(), 2); !errors.As(err, &of) || !errors.Is(err, ErrChanged) ||
		of.Source != "a.csv" {
		t.Errorf("of a file that has changed: %v", err)
	}
}

func TestSourcesArePassedOver(t *testing.T) {
	set := &Set{Sources: []Source{{Name: "a"}, {Name: "b"}, {Name: "c"}}}
	set.PassOver("later than 2031-03", func(i int) bool { return set.Sources[i].Name == "b" })
	if len(set.Sources) != 2 || set.Sources[1].Name != "c" || len(set.PassedOver) != 1 ||
		set.PassedOver[0] != (PassedOver{Source: "b", Reason: "later than 2031-03"}) {
		t.Errorf("sources are %v, passed over %v", set.Sources, set.PassedOver)
	}
}

// Small files that are hashed or compared one after another do not each take the room of a large one.
func TestHashingTakesOneBuffer(t *testing.T) {
	const each = 200
	dir := folder(t, map[string]string{"a.csv": "doc,v\n1,2\n", "b.csv": "doc,v\n1,2\n"})
	set, err := Find(t.Context(), Search{Paths: []string{dir}, Jobs: 1})
	if err != nil {
		t.Fatal(err)
	}
	a, b := set.Sources[0].Path, set.Sources[1].Path
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	for range each {
		one, err := set.FilePrint(0)
		other, errOther := set.FilePrint(1)
		same, errSame := equalFiles(a, b)
		if err := errors.Join(err, errOther, errSame); err != nil || one != other || !same {
			t.Fatalf("%v; %s and %s are the same: %v", err, one, other, same)
		}
	}
	runtime.ReadMemStats(&after)
	// of the times that a buffer is wanted, the race detector makes a new one for every fourth
	if took, most := after.TotalAlloc-before.TotalAlloc, uint64(each*3*256<<10/2); took > most {
		t.Errorf("%d bytes were taken, want no more than %d", took, most)
	}
}
