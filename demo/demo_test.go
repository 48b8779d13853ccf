package demo

import (
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// Each company's journal must be there in its shape; what the planted faults
// come to is tested on the program.
func TestShapes(t *testing.T) {
	byPath := make(map[string]string)
	for _, f := range files() {
		byPath[f.path] = f.content
	}
	for path, begins := range map[string]string{
		"journals/brackenfell.zip":       "PK\x03\x04",
		"journals/corvane_2031-01.csv":   "Beleg;Zeile;Datum;Konto;Gegenpartei;Text;Soll;Haben;W\xe4hrung\nC00201;1;",
		"journals/dunmarrow_2031-02.txt": "\xff\xfed\x00o\x00c\x00",
		"journals/eskerby_2031-01.xlsx":  "PK\x03\x04",
		"journals/eskerby_2031-03.ods":   "PK\x03\x04",
		"journals/fallowmere_2031-01.json": "{\n  \"company\": \"Fallowmere Ropeway\",\n  \"rows\": [\n    " +
			"{\"document\": ",
		"journals/fallowmere_2031-03.csv": "document,line,posted,account,counterparty,text,debit,credit,currency\nF00",
		"control.csv":                     "entity,period,rows,debit,credit\nbrackenfell,2031-01,",
		"lastblock.toml":                  "# The first quarter of 2031",
	} {
		if !strings.HasPrefix(byPath[path], begins) {
			t.Errorf("%s begins with %.80q", path, byPath[path])
		}
	}
	march := byPath["journals/fallowmere_2031-03.csv"]
	if strings.Count(march, "document,line") != 2 || !strings.Contains(march, "\nTotal,,,,,,") {
		t.Errorf("the header of March stands %d times, and it ends in %q", strings.Count(march, "document,line"),
			march[len(march)-60:])
	}
	for _, f := range files() {
		if f.content != byPath[f.path] {
			t.Errorf("%s is not the same each time", f.path)
		}
	}
}

func TestSwapDigits(t *testing.T) {
	for cents, want := range map[int64]int64{1530_00: 1350_00, 1234_50: 1324_50, 1100_00: 1010_00, 9_80: 9_80,
		450_00: 540_00} {
		if got := swapDigits(cents); got != want {
			t.Errorf("swapDigits(%d) = %d, want %d", cents, got, want)
		}
	}
}

func TestCommandLineCanBeCopied(t *testing.T) {
	got := CommandLine("lastblock", []string{"intake", "my folder", "--name", "{entity}_{period}", "it's"})
	if want := `lastblock intake 'my folder' --name '{entity}_{period}' 'it'\''s'`; got != want {
		t.Errorf("command line is %s, want %s", got, want)
	}
}

func TestWriteRefusesWhatIsNotTheDemos(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "new")
	for range 2 { // a new folder, and its own
		if err := Write(dir); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(filepath.Join(dir, "results", "mine.csv"), nil, 0o644); err != nil {
			t.Fatal(err)
		}
	}
	for _, name := range []string{"mine.csv", "journals/corvane_2031-04.csv"} {
		path := filepath.Join(dir, filepath.FromSlash(name))
		if err := os.WriteFile(path, []byte("mine"), 0o644); err != nil {
			t.Fatal(err)
		}
		var notOurs *NotOursError
		if err := Write(dir); !errors.As(err, &notOurs) || notOurs.File != name {
			t.Errorf("with %s in it: %v", name, err)
		}
		if text, err := os.ReadFile(path); err != nil || string(text) != "mine" {
			t.Errorf("%s holds %q, %v", name, text, err)
		}
		os.Remove(path)
	}
}
