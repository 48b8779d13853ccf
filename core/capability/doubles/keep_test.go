package doubles

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"lastblock/core/capability/collate"
	"lastblock/core/source"
	"lastblock/internal/sourcetest"
)

// kept writes what stays by a policy: the records with their sources and lines.
func kept(t *testing.T, set *source.Set, options Options) []string {
	t.Helper()
	if options.Share.Sign() == 0 {
		options.Share = DefaultShare
	}
	r, err := Find(context.Background(), set, sourcetest.Reading, options)
	if err != nil {
		t.Fatal(err)
	}
	r.Proposed.Drop.Reset()
	plan, err := collate.Prepare(context.Background(), set, sourcetest.Reading,
		collate.Options{Delimiter: ',', Drop: r.Proposed.Drop})
	if err != nil {
		t.Fatal(err)
	}
	var b strings.Builder
	result, err := plan.Write(context.Background(), &b)
	if err != nil {
		t.Fatal(err)
	}
	if result.Proof.Dropped != r.Proposed.Records {
		t.Errorf("%d records are proposed to be left out, and %d are", r.Proposed.Records, result.Proof.Dropped)
	}
	return strings.Fields(b.String())
}

func TestWhatIsKept(t *testing.T) {
	const head = "k,v\n"
	for _, c := range []struct {
		rule    string
		files   map[string]string
		policy  Policy
		options Options
		want    string
	}{
		{"the first of the same files", map[string]string{"a.csv": head + "1,x\n", "b.csv": head + "1,x\n"}, First,
			Options{}, "1,x,a.csv,2"},
		{"the last of them", map[string]string{"a.csv": head + "1,x\n", "b.csv": head + "1,x\n"}, Last, Options{},
			"1,x,b.csv,2"},
		{"the newest of them", map[string]string{"a.csv": head + "1,x\n", "b.csv": head + "1,x\n", "c.csv": head +
			"1,x\n"}, Newest, Options{}, "1,x,b.csv,2"},
		{"none of them", map[string]string{"a.csv": head + "1,x\n", "b.csv": head + "1,x\n", "c.csv": head + "9,z\n"},
			None, Options{}, "9,z,c.csv,2"},
		{"a contained file goes, whichever is first",
			map[string]string{"a.csv": head + "1,x\n", "b.csv": head + "1,x\n2,y\n"}, First, Options{},
			"1,x,b.csv,2 2,y,b.csv,3"},
		{"three that each stand in the others lose no record",
			map[string]string{"a.csv": head + "1,x\n2,y\n", "b.csv": head + "2,y\n3,z\n", "c.csv": head + "1,x\n3,z\n"},
			First, Options{},
			"2,y,b.csv,2 3,z,b.csv,3 1,x,c.csv,2"},
		{"of an overlap the first file keeps all",
			map[string]string{"a.csv": head + "1,x\n2,y\n", "b.csv": head + "2,y\n3,z\n"}, First, Options{},
			"1,x,a.csv,2 2,y,a.csv,3 3,z,b.csv,3"},
		{"and by size the larger one", map[string]string{"a.csv": head + "1,x\n2,y\n", "b.csv": head +
			"2,y\n3,z\n4,z\n"}, Largest, Options{}, "1,x,a.csv,2 2,y,b.csv,2 3,z,b.csv,3 4,z,b.csv,4"},
		{"none of what overlaps", map[string]string{"a.csv": head + "1,x\n2,y\n", "b.csv": head + "2,y\n3,z\n"}, None,
			Options{}, "1,x,a.csv,2 3,z,b.csv,3"},
		{"one of repeated records", map[string]string{"a.csv": head + "1,x\n2,y\n1,x\n1,x\n"}, First, Options{},
			"1,x,a.csv,2 2,y,a.csv,3"},
		{"the last of them", map[string]string{"a.csv": head + "1,x\n2,y\n1,x\n1,x\n"}, Last, Options{},
			"2,y,a.csv,3 1,x,a.csv,5"},
		{"repeated ones stay where only others count",
			map[string]string{"a.csv": head + "1,x\n1,x\n2,y\n3,y\n", "b.csv": head + "1,x\n8,y\n9,y\n"}, First,
			Options{Across: true, Share: moneyOf("90")},
			"1,x,a.csv,2 1,x,a.csv,3 2,y,a.csv,4 3,y,a.csv,5 8,y,b.csv,3 9,y,b.csv,4"},
		{"of one key the last", map[string]string{"a.csv": head + "1,x\n2,y\n", "b.csv": head + "1,z\n"}, Last,
			Options{Key: []string{"k"}}, "2,y,a.csv,3 1,z,b.csv,2"},
		{"of several on one line one stays, as they cannot be told apart",
			map[string]string{"a.json": `[{"k":"1","v":"x"},{"k":"2","v":"y"},{"k":"1","v":"x"}]`}, First, Options{},
			"2,y,a.json,1 1,x,a.json,1"},
	} {
		t.Run(c.rule+" "+string(c.policy), func(t *testing.T) {
			set := sourcetest.Set(t, "", c.files)
			for i := range set.Sources {
				changed := time.Date(2031, 1, 1, 0, 0, 0, 0, time.UTC)
				if set.Sources[i].Name == "b.csv" {
					changed = changed.AddDate(0, 1, 0)
				}
				if err := os.Chtimes(set.Sources[i].Path, changed, changed); err != nil {
					t.Fatal(err)
				}
			}
			set, err := source.Find(t.Context(),
				source.Search{Paths: []string{filepath.Dir(set.Sources[0].Path)}, Jobs: 1})
			if err != nil {
				t.Fatal(err)
			}
			c.options.Keep = c.policy
			if got := strings.Join(kept(t, set, c.options), " "); got != c.want {
				t.Errorf("kept is %q, want %q", got, c.want)
			}
		})
	}
	if _, err := ParsePolicy("oldest"); err == nil {
		t.Error("oldest is a policy")
	}
}

// Whatever is planted, in what is kept by a policy nothing is double any more.
func TestNothingIsDoubleInWhatIsKept(t *testing.T) {
	p := plant(9, 2)
	for _, policy := range []Policy{First, Last, Largest} {
		set := sourcetest.Set(t, "", p.files)
		r, err := Find(context.Background(), set, sourcetest.Reading, Options{Share: DefaultShare, Keep: policy})
		if err != nil {
			t.Fatal(err)
		}
		r.Proposed.Drop.Reset()
		rest, err := Find(context.Background(), set, sourcetest.Reading,
			Options{Share: DefaultShare, Drop: r.Proposed.Drop})
		if err != nil {
			t.Fatal(err)
		}
		if found := told(rest); len(found) > 0 {
			t.Errorf("%s: of what is kept these are doubles: %q", policy, found)
		}
	}
}
