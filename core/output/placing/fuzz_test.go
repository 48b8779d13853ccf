package placing

import (
	"testing"

	"lastblock/core/source"
)

// Whatever stands in a journal, nothing above its folder is touched or made, and a file of the folder is what it was,
// or what the journal of a set has put there.
func FuzzJournal(f *testing.F) {
	const set = "00000000000000aa"
	part := ".x.csv." + set + ".part"
	head := `{"version":1,"set":"` + set + `","journal":1,"of":1,"begun":"2031-02-03T10:00:00Z"}` + "\n"
	for _, lines := range []string{
		`{"part":"` + part + `","to":"x.csv","size":4}`,
		`{"part":"` + part + `","to":"mine.txt","size":4,"was":{"size":4,"time":"2031-02-03T10:00:00Z","print":"00"}}`,
		`{"part":"` + part + `","to":"../secret","size":4}`,
		`{"to":"mine.txt","size":4,"add":"ZXZpbA==","behind":4}`,
		`{"to":"/secret","size":4,"add":"ZXZpbA==","behind":4}`,
	} {
		f.Add(head + lines + "\n" + journalEnd)
	}
	f.Add(`{"version":1,"set":"` + set + `","journal":1,"of":2,"begun":"2031-02-03T10:00:00Z","others":[{"journal":2,` +
		`"near":"..","folder":"/"}],"made":["blocks",".."]}` + "\n")
	f.Fuzz(func(t *testing.T, text string) {
		w := newWorld(worldFolders...)
		w.put("/secret", "of the user")
		w.put("/p/mine.txt", "mine")
		w.put("/p/"+part, "evil")
		w.put("/p/"+source.MarkPrefix+set, text)
		recoverAll(&process{world: w, stopAt: -1})
		if w.text("/secret") != "of the user" {
			t.Errorf("a file above is %q", w.text("/secret"))
		}
		if w.text("/p/mine.txt") == "-" {
			t.Error("a file of the folder is gone")
		}
		if n := len(w.folders["/"].names); n != 3 {
			t.Errorf("above the folder are %d names", n)
		}
	})
}
