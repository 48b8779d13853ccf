package block

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"
)

// blockOf is a block of a month, with two sources and a result.
func blockOf(period string) Block {
	hash := func(text string) string {
		sum := sha256.Sum256([]byte(text))
		return hex.EncodeToString(sum[:])
	}
	return Block{
		Period: period, Time: time.Date(2031, 4, 2, 9, 30, 0, 999, time.FixedZone("", 7200)), User: "anna",
		Program: "1.0", Verdict: Passed, Plan: File{"lastblock.toml", hash("plan")},
		Decisions: Decisions{2, "0123456789abcdef"}, Figures: File{period + ".csv", hash("figures")},
		References: []Reference{{File: File{"control.csv", hash("control " + period)}}},
		Sources: []Source{
			{File: File{"journals/a_" + period + ".csv", hash("a " + period)}, Size: 9, Entity: "a", Period: period,
				Rows: 3, Totals: []Total{{"debit", "5.00"}}, Source: "a"},
			{File: File{"journals/b_" + period + ".csv", hash("b " + period)}, Size: 9, Rows: 1},
		},
		Rows: 4, Totals: []Total{{"debit", "5.00"}}, Proof: Proof{4, 4, 0, 0},
		Findings: []Finding{{ID: "abcdefgh", Kind: "row-count", Severity: "stop", State: "1f", Decision: "late"}},
		Results: []Result{{File: File{"results/" + period + "/summary.csv", hash("summary " + period)},
			Command: "rollup", Rows: 2}},
	}
}

// closed is a folder in which months were closed.
func closed(t *testing.T, periods ...string) (folder string, c *Chain) {
	t.Helper()
	folder = filepath.Join(t.TempDir(), "blocks")
	c, err := Read(folder, "lastblock.toml")
	if err != nil {
		t.Fatal(err)
	}
	for _, period := range periods {
		if _, err := c.Append(blockOf(period)); err != nil {
			t.Fatal(err)
		}
	}
	return folder, c
}

func TestAChainIsReadAsItWasWritten(t *testing.T) {
	folder, written := closed(t, "2031-01", "2031-02", "2031-02")
	c, err := Read(folder, "lastblock.toml")
	if err != nil || len(c.Entries) != 3 {
		t.Fatalf("%v: %d blocks", err, len(c.Entries))
	}
	before := ""
	for i, e := range c.Entries {
		data, err := os.ReadFile(filepath.Join(folder, fmt.Sprintf("%04d-%s.json", i+1, e.Period)))
		if err != nil {
			t.Fatal(err)
		}
		sum := sha256.Sum256(data)
		if e.Seal != hex.EncodeToString(sum[:]) || e.Seal != written.Entries[i].Seal || e.Number != i+1 {
			t.Errorf("block %d has the seal %s", e.Number, e.Seal)
		}
		if i > 0 && (e.Previous == nil || e.Previous.Seal != before || e.Previous.Number != i) {
			t.Errorf("before block %d is %+v", e.Number, e.Previous)
		}
		before = e.Seal
		// canonical: no blank outside of texts, and the members in their order
		if !bytes.HasPrefix(data, []byte(`{"block":`)) || bytes.ContainsAny(data, "\n\t ") ||
			!bytes.Contains(data, []byte(`"time":"2031-04-02T07:30:00Z"`)) {
			t.Errorf("the block is %s", data)
		}
	}
	if of := c.Of("2031-02"); of == nil || of.Number != 3 {
		t.Errorf("the newest block of February is %+v", of)
	}
	if c.Of("2031-03") != nil || c.Last().Number != 3 {
		t.Error("a block of March is found, or the last one is not the third")
	}
	if got := Short("0123456789abcdef0123"); got != "0123 4567 89ab" {
		t.Errorf("a seal in short is %s", got)
	}
}

// broken wants a chain not to be read, for a reason of a block.
func broken(t *testing.T, what, folder string, number int, text string) {
	t.Helper()
	c, err := Read(folder, "lastblock.toml")
	var newer *NewerError
	if errors.As(err, &newer) && text == "" {
		return // a changed version
	}
	var of *BrokenError
	if !errors.As(err, &of) || of.Number != number || !strings.Contains(of.Text, text) ||
		len(c.Entries) >= max(1, number) {
		t.Errorf("%s: the error is %v", what, err)
	}
}

// Any byte of any block that is another one is found, be it in the newest.
func TestAnyByteThatWasChangedIsFound(t *testing.T) {
	folder, c := closed(t, "2031-01", "2031-02")
	for i, e := range c.Entries {
		step := []int{7, 1}[i] // of the newest one each byte
		path := filepath.Join(folder, e.File)
		data, err := os.ReadFile(path)
		if err != nil {
			t.Fatal(err)
		}
		write := func(data []byte) {
			if err := os.WriteFile(path, data, 0o644); err != nil {
				t.Fatal(err)
			}
		}
		for at := 0; at < len(data); at += step {
			changed := bytes.Clone(data)
			changed[at] ^= 1
			write(changed)
			broken(t, fmt.Sprintf("block %d, byte %d", e.Number, at), folder, e.Number, "")
		}
		for length := 0; length < len(data); length += 97 {
			write(data[:length])
			broken(t, fmt.Sprintf("block %d of %d bytes", e.Number, length), folder, e.Number, "")
		}
		write(append(bytes.Clone(data), '\n'))
		broken(t, "a line end behind it", folder, e.Number, "its bytes are not those that were sealed")
		write(data)
	}
	if _, err := Read(folder, "lastblock.toml"); err != nil {
		t.Errorf("put back as it was: %v", err)
	}
}

// A block that was written anew as a whole does not have the seal that the next one names.
func TestABlockThatWasWrittenAnewIsFound(t *testing.T) {
	folder, c := closed(t, "2031-01", "2031-02")
	forged := c.Entries[0].Block
	forged.Rows++
	data, err := forged.Encode()
	if err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(filepath.Join(folder, c.Entries[0].File), data, 0o644); err != nil {
		t.Fatal(err)
	}
	broken(t, "written anew", folder, 1, "it was changed: block 2 has sealed it as "+Short(c.Entries[0].Seal))
}

func TestFilesOfAChain(t *testing.T) {
	for _, c := range []struct {
		rule   string
		do     func(path func(name string) string) error
		number int
		text   string
	}{
		{"one in the middle is missing", func(path func(string) string) error {
			return os.Remove(path("0002-2031-02.json"))
		}, 2, "it is missing, and block 3 is there"},
		{"the first one is missing", func(path func(string) string) error {
			return os.Remove(path("0001-2031-01.json"))
		}, 1, "it is missing"},
		{"one has another name", func(path func(string) string) error {
			return os.Rename(path("0002-2031-02.json"), path("0002-2031-12.json"))
		}, 2, "0002-2031-12.json is block 2 of 2031-02 under another name"},
		{"one has another number", func(path func(string) string) error {
			return os.Rename(path("0003-2031-03.json"), path("0004-2031-03.json"))
		}, 3, "it is missing"},
		{"one is there twice", func(path func(string) string) error {
			data, err := os.ReadFile(path("0002-2031-02.json"))
			return errors.Join(err, os.WriteFile(path("0002-2031-02 copy.json"), data, 0o644))
		}, 2, "it is there twice, as 0002-2031-02 copy.json and 0002-2031-02.json"},
		{"two have changed places", func(path func(string) string) error {
			return errors.Join(os.Rename(path("0002-2031-02.json"), path("x")),
				os.Rename(path("0003-2031-03.json"), path("0002-2031-03.json")),
				os.Rename(path("x"), path("0003-2031-02.json")))
		}, 2, "is block 3 of 2031-03 under another name"},
		{"one has the number zero", func(path func(string) string) error {
			data, err := os.ReadFile(path("0001-2031-01.json"))
			return errors.Join(err, os.WriteFile(path("0000-2031-01.json"), data, 0o644))
		}, 0, "there is no such block"},
	} {
		folder, _ := closed(t, "2031-01", "2031-02", "2031-03")
		if err := c.do(func(name string) string { return filepath.Join(folder, name) }); err != nil {
			t.Fatal(err)
		}
		broken(t, c.rule, folder, c.number, c.text)
	}
	folder, _ := closed(t, "2031-01")
	for _, name := range []string{"notes.txt", "0001-2031-01.csv.zst", ".block-17", "x-1.json"} {
		if err := os.WriteFile(filepath.Join(folder, name), []byte("{}"), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	if c, err := Read(folder, "lastblock.toml"); err != nil || len(c.Entries) != 1 {
		t.Errorf("beside other files: %v", err)
	}
}

func TestBlocksOfOthers(t *testing.T) {
	folder, c := closed(t, "2031-01")
	var other *OtherPlanError
	if _, err := Read(folder, "april.toml"); !errors.As(err, &other) || other.Other != "lastblock.toml" {
		t.Errorf("of another plan: %v", err)
	}
	path := filepath.Join(folder, c.Entries[0].File)
	data, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	later := bytes.Replace(data, fmt.Appendf(nil, `"version":%d`, Version), fmt.Appendf(nil, `"version":%d`, Version+1), 1)
	if err := os.WriteFile(path, later, 0o644); err != nil {
		t.Fatal(err)
	}
	var newer *NewerError
	if _, err := Read(folder, "lastblock.toml"); !errors.As(err, &newer) || newer.Number != 1 ||
		newer.Version != Version+1 {
		t.Errorf("of a newer version: %v", err)
	}
}

// Of several who close at once, each block stands behind the one that its close has seen.
func TestTwoWhoCloseAtOnce(t *testing.T) {
	folder, _ := closed(t, "2031-01")
	var group sync.WaitGroup
	errs, seen := make([]error, 8), make([]*Chain, 8)
	for i := range seen {
		c, err := Read(folder, "lastblock.toml")
		if err != nil {
			t.Fatal(err)
		}
		seen[i] = c
	}
	for i, c := range seen {
		group.Go(func() { _, errs[i] = c.Append(blockOf("2031-02")) })
	}
	group.Wait()
	added := 0
	for _, err := range errs {
		var grown *GrownError
		if err == nil {
			added++
		} else if !errors.As(err, &grown) {
			t.Errorf("the error is %v", err)
		}
	}
	c, err := Read(folder, "lastblock.toml")
	if err != nil || added != 1 || len(c.Entries) != 2 {
		t.Errorf("%v: %d were added, and %d blocks are there", err, added, len(c.Entries))
	}
	left, err := filepath.Glob(filepath.Join(folder, ".block-*"))
	if err != nil || len(left) > 0 {
		t.Errorf("left are %v", left)
	}
}

func TestNothingIsOverwritten(t *testing.T) {
	folder := t.TempDir()
	if err := writeDurably(folder, "a.json", []byte("one")); err != nil {
		t.Fatal(err)
	}
	if err := writeDurably(folder, "a.json", []byte("two")); !errors.Is(err, os.ErrExist) {
		t.Errorf("the error is %v", err)
	}
	if data, err := os.ReadFile(filepath.Join(folder, "a.json")); err != nil || string(data) != "one" {
		t.Errorf("%v: it has %s", err, data)
	}
}
