package cli

import (
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"lastblock/core/finding"
	"lastblock/docs"

	"github.com/xuri/excelize/v2"
)

// Each kind of finding in docs/findings.md has an example of what it says, which some run has really
// said: one of the sessions, which are tested themselves, of the demo, or one of those below.
func TestEachKindHasARealExample(t *testing.T) {
	said := sessionsSay(t) + demoSays(t) + othersSay(t)
	for _, kind := range finding.Kinds() {
		text, _ := docs.Section(docs.Findings, "### "+string(kind))
		var example []string
		for line := range strings.SplitSeq(text, "\n") {
			if quoted, ok := strings.CutPrefix(line, "> "); ok {
				example = append(example, quoted)
			}
		}
		if len(example) == 0 {
			t.Errorf("%s has no example", kind)
			continue
		}
		if want := squeezed(strings.Join(example, " ")); !strings.Contains(said, want) {
			t.Errorf("no run says of %s: %s", kind, want)
		}
	}
}

// squeezed writes a text with one blank between words.
func squeezed(text string) string { return strings.Join(strings.Fields(text), " ") }

func sessionsSay(t *testing.T) string {
	t.Helper()
	files, err := filepath.Glob("testdata/*.txt")
	if err != nil {
		t.Fatal(err)
	}
	partly := regexp.MustCompile(`(?m)^\? +`)
	var b strings.Builder
	for _, file := range files {
		text, err := os.ReadFile(file)
		if err != nil {
			t.Fatal(err)
		}
		b.WriteString(squeezed(partly.ReplaceAllString(string(text), "")) + " ")
	}
	return b.String()
}

func demoSays(t *testing.T) string {
	t.Helper()
	stdout, stderr, _ := runProgram(t, t.TempDir(), "", "demo")
	return squeezed(stdout) + " " + squeezed(stderr) + " "
}

// othersSay runs the program on what a session cannot show well: workbooks, and very many records.
func othersSay(t *testing.T) string {
	t.Helper()
	dir := t.TempDir()
	crowd, many := "doc,party,amount\n", "doc,amount\n"
	for i := range 30 {
		crowd += fmt.Sprintf("%d,P,39.00\n", i)
	}
	for i := range 4500 {
		many += fmt.Sprintf("H%d,%d.00\n", i, i+1)
	}
	writeFiles(t, dir, map[string]string{
		"bytes.csv": "doc,text\n1,Zürich\n2,Genève\n3,Caf\xe9\n", "crowd.csv": crowd, "many.csv": many,
		"one.csv":      "doc,amount\nT1,3.00\n",
		"two-rows.csv": "doc,text,amount,more\n,,debit,credit\nA,x,1.50,2\nB,y,3,4\n",
		"utf.csv":      "doc,text\n1,Z\xfcrich\n2,Zürich\n3,Zürich\n4,Zürich\n",
	})
	book := excelize.NewFile()
	defer book.Close()
	for row, cells := range [][]any{{"doc", "debit"}, {"D1", 5}, {"D2", 7}} {
		cell, err := excelize.CoordinatesToCellName(1, row+1)
		if err == nil {
			err = book.SetSheetRow("Sheet1", cell, &cells)
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	if err := book.SetRowVisible("Sheet1", 3, false); err != nil {
		t.Fatal(err)
	}
	if err := book.SaveAs(filepath.Join(dir, "hidden.xlsx")); err != nil {
		t.Fatal(err)
	}
	locked := "\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1" + strings.Repeat("\x00", 600)
	for _, c := range []byte("EncryptedPackage") {
		locked += string([]byte{c, 0})
	}
	writeFiles(t, dir, map[string]string{"forms/a.csv": "L,Q\nWages,1\nRent,2\n", "forms/b.xlsx": locked})
	var b strings.Builder
	for _, args := range [][]string{
		{"collate", "hidden.xlsx", "--bare"},
		{"overlay", "forms"},
		{"intake", "bytes.csv", "utf.csv"},
		{"collate", "two-rows.csv", "--bare"},
		{"doubles", "crowd.csv", "--near", "amount:0.01, party:same"},
		{"reconcile", "many.csv", "--against", "one.csv", "--key", "doc", "--total", "amount", "--combine", "2"},
	} {
		stdout, stderr, _ := runProgram(t, dir, "", append(args, "--quiet")...)
		b.WriteString(squeezed(stdout) + " " + squeezed(stderr) + " ")
	}
	_, run := reread(t)
	b.WriteString(squeezed(run(ExitDone, quietly("2031-02")...)))
	return b.String()
}
