package cli

import (
	"encoding/json"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
)

// documentedDatabase is the one that examples name.
const documentedDatabase = "postgres://reader@localhost/books"

// Every example in help and docs runs as it stands, on the demo's data: those of
// one page one after another.
func TestExamples(t *testing.T) {
	type page struct{ name, text string }
	var pages []page
	root := new(app).root()
	commands := []string{""}
	for _, c := range root.Commands() {
		commands = append(commands, c.Name())
	}
	for _, command := range commands {
		stdout, _, code := runProgram(t, t.TempDir(), "", append([]string{"help"}, strings.Fields(command)...)...)
		if code != ExitDone {
			t.Fatalf("help %s ends with %d", command, code)
		}
		if command != "completion" {
			pages = append(pages, page{"help " + command, stdout})
		}
	}
	files, err := filepath.Glob("../docs/*.md")
	if err != nil {
		t.Fatal(err)
	}
	for _, file := range append(files, "../README.md") {
		text, err := os.ReadFile(file)
		if err != nil {
			t.Fatal(err)
		}
		pages = append(pages, page{file, string(text)})
	}
	made := demoFolder(t)
	address, reachable := "postgres://reader@127.0.0.1:1/books", os.Getenv("LASTBLOCK_POSTGRES") != ""
	if reachable { // .ci/postgres starts a server, see there
		own, _, exec := server(t)
		address = own
		exec("create table if not exists statement (pass_no text, amount numeric)")
	}
	for _, p := range pages {
		t.Run(filepath.Base(p.name), func(t *testing.T) {
			t.Parallel()
			dir := t.TempDir()
			if err := os.CopyFS(dir, os.DirFS(made)); err != nil {
				t.Fatal(err)
			}
			if count := runExamples(t, dir, p.text, address, reachable); count == 0 &&
				strings.HasPrefix(p.name, "help ") {
				t.Errorf("%s has no example", p.name)
			}
		})
	}
}

// runExamples runs the command lines in a text in the demo's folder, and tells how many there are.
// The database that they name is at an address, where a server may be reachable or not.
func runExamples(t *testing.T, dir, text, address string, reachable bool) (count int) {
	t.Helper()
	text = regexp.MustCompile(` \\\n +`).ReplaceAllString(text, " ") // which a shell joins
	for line := range strings.Lines(text) {
		line = strings.TrimPrefix(strings.TrimSpace(line), "$ ")
		if !strings.HasPrefix(line, "lastblock ") || !strings.ContainsAny(line, "/-") && line != "lastblock demo" &&
			line != "lastblock version" {
			continue
		}
		count++
		named := strings.Contains(line, documentedDatabase)
		line = strings.ReplaceAll(line, documentedDatabase, address)
		_, stderr, code := runProgram(t, dir, "", splitWords(line)[1:]...)
		if (reachable || !named) && code != ExitDone && code != ExitStop {
			t.Errorf("%s\nends with %d: %s", line, code, stderr)
		}
		if !reachable && named && (code != ExitNotDone || !strings.Contains(stderr, "127.0.0.1")) {
			t.Errorf("%s\nwithout a server ends with %d: %s", line, code, stderr)
		}
	}
	return count
}

// What the README shows is what the program says, one command after another; … stands for what is left
// out.
func TestReadmeShowsRealOutput(t *testing.T) {
	text, err := os.ReadFile("../README.md")
	if err != nil {
		t.Fatal(err)
	}
	dir, shown := demoFolder(t), 0
	for i, block := range strings.Split(string(text), "```") {
		if i%2 == 0 {
			continue // between two blocks
		}
		for _, step := range strings.Split("\n"+block, "\n$ ")[1:] {
			line, want, _ := strings.Cut(step, "\n")
			stdout, stderr, _ := runProgram(t, dir, "", splitWords(line)[1:]...)
			rest := stdout + "\n" + stderr
			for _, piece := range strings.Split("\n"+want, "\n…\n") {
				if piece = strings.Trim(piece, "\n"); piece == "" {
					continue
				}
				_, after, ok := strings.Cut(rest, piece)
				if shown++; !ok {
					t.Errorf("of %s the README shows\n%s\nand it says\n%s", line, piece, stdout+stderr)
				}
				rest = after
			}
		}
	}
	if shown < 8 {
		t.Errorf("the README shows %d pieces of output", shown)
	}
}

// documentedMembers are the names in the first column of the tables of a section.
func documentedMembers(t *testing.T, page, section string) (names []string) {
	t.Helper()
	_, text, ok := strings.Cut(page, section)
	if !ok {
		t.Fatalf("docs/json.md has no section %q", section)
	}
	text, _, _ = strings.Cut(text, "\n## ")
	for _, row := range regexp.MustCompile("(?m)^\\| (`[^|]*) \\|").FindAllStringSubmatch(text, -1) {
		for _, name := range regexp.MustCompile("`(\\w+)`").FindAllStringSubmatch(row[1], -1) {
			names = append(names, name[1])
		}
	}
	return names
}

// The JSON of what stands on blocks has the members that docs/json.md names for it, and no others.
func TestJSONOfBlocksIsAsDocumented(t *testing.T) {
	page, err := os.ReadFile("../docs/json.md")
	if err != nil {
		t.Fatal(err)
	}
	dir := demoFolder(t)
	closed := "lastblock-demo/close/lastblock.toml"
	for command, args := range map[string][]string{
		"changes": {"--since", "3"}, "trace": {"account=04100", "--block", "3"}, "freeze": nil,
		"relocate": {"lastblock-demo/close/archive", "lastblock-demo/close/journals", "--rehearse"},
		"report":   {"--block", "4"},
		"close":    {"--rehearse", "--restate", "--reason", "shown"}, "history": nil, "verify": {"--sources"},
	} {
		stdout, stderr, _ := runProgram(t, dir, "", append([]string{command, "--plan", closed, "--json"}, args...)...)
		var document map[string]any
		if err := json.Unmarshal([]byte(stdout), &document); err != nil {
			t.Fatalf("%s: %v\n%s%s", command, err, stdout, stderr)
		}
		want := documentedMembers(t, string(page), "\n## "+command+"\n")
		for name := range document {
			everywhere := []string{"command", "version", "findings", "proof", "passed_over"}
			if !slices.Contains(append(everywhere, want...), name) {
				t.Errorf("%s: the member %q is not documented", command, name)
			}
		}
		for _, name := range want {
			sometimes := []string{"undone", "backup", "left", "forms", "for"}
			if _, ok := document[name]; !ok && !slices.Contains(sometimes, name) {
				t.Errorf("%s: the member %q is documented, and not there", command, name)
			}
		}
	}
}

// So has that of a figure of a grid.
func TestJSONOfATracedGridIsAsDocumented(t *testing.T) {
	page, err := os.ReadFile("../docs/json.md")
	if err != nil {
		t.Fatal(err)
	}
	stdout, stderr, _ := runProgram(t, demoFolder(t), "", "trace", "Wages", "Q2", "--plan",
		"lastblock-demo/budgets/lastblock.toml", "--json")
	var document map[string]any
	if err := json.Unmarshal([]byte(stdout), &document); err != nil {
		t.Fatalf("%v\n%s%s", err, stdout, stderr)
	}
	want := documentedMembers(t, string(page), "\n## trace of a grid\n")
	for name := range document {
		if !slices.Contains(append(want, "command", "version"), name) {
			t.Errorf("the member %q is not documented", name)
		}
	}
	for _, name := range want {
		if _, ok := document[name]; !ok && name != "sealed" && name != "handed" {
			t.Errorf("the member %q is documented, and not there", name)
		}
	}
}

// The JSON of each command has the members that docs/json.md names for it, and
// no others.
func TestJSONIsAsDocumented(t *testing.T) {
	page, err := os.ReadFile("../docs/json.md")
	if err != nil {
		t.Fatal(err)
	}
	documented := func(section string) []string { return documentedMembers(t, string(page), section) }
	dir := demoFolder(t)
	for command, args := range map[string][]string{ // of doubles it is the month in which some came twice
		"intake":  {"--head", "1"},
		"tieout":  {"--top", "1", "--bottom", "1", "--periods", "2031-01..2031-03", "--skip", "eskerby*"},
		"collate": {"--anyway"},
		"rollup":  {"--share", "--subtotals", "--anyway"},
		"gauge":   {"--each"},
		"doubles": {"--keep", "last", "--out", "kept.csv"},
		"overlay": {"--anyway", "--replace"},
		"prove":   {"--equals", "lastblock-demo/journals/dunmarrow_2031-01.txt"},
		"attach":  {"--from", "lastblock-demo/accounts.csv", "--key", "account=code", "--bring", "name", "--anyway"},
		"align":   {"--key", "pass_no"},

		"reconcile": {"--out", "both.csv", "--corrected", "corrected.csv", "--prefer", "here"},
		"split":     {"lastblock-demo/journals/dunmarrow_2031-01.txt", "--rows", "5", "--out-dir", "parts"},
	} {
		plan := "lastblock-demo/lastblock.toml"
		if folder, ok := map[string]string{"doubles": "april", "reconcile": "passes",
			"align": "balances", "overlay": "budgets"}[command]; ok {
			plan = "lastblock-demo/" + folder + "/lastblock.toml"
		}
		stdout, stderr, _ := runProgram(t, dir, "", append([]string{command, "--plan", plan, "--json"}, args...)...)
		var document map[string]any
		if err := json.Unmarshal([]byte(stdout), &document); err != nil {
			t.Fatalf("%s: %v\n%s%s", command, err, stdout, stderr)
		}
		want := append(documented("# JSON"), documented("\n## "+command+"\n")...)
		for name := range document {
			if !slices.Contains(want, name) {
				t.Errorf("%s: the member %q is not documented", command, name)
			}
		}
		sometimes := []string{"out", "rest", "companies", "tieout", "results", "cells_at"}
		for _, name := range want {
			if _, ok := document[name]; !ok && !slices.Contains(sometimes, name) {
				t.Errorf("%s: the member %q is documented and not there", command, name)
			}
		}
		findings := documented("\n## Findings\n")
		for _, f := range document["findings"].([]any) {
			for name := range f.(map[string]any) {
				if !slices.Contains(findings, name) {
					t.Errorf("%s: the member %q of a finding is not documented", command, name)
				}
			}
		}
	}
}
