package cli

import (
	"strings"
	"testing"
	"unicode/utf8"

	"lastblock/core/finding"
	"lastblock/docs"
)

// The help of each command fits on a screen of 80 by 40, and all other help into 80 columns.
func TestHelpFitsOnAScreen(t *testing.T) {
	root := new(app).root()
	check := func(rows int, args ...string) string {
		stdout, stderr, code := runProgram(t, t.TempDir(), "", args...)
		if code != ExitDone || len(stdout) < 100 {
			t.Errorf("%v ends with %d: %s%s", args, code, stdout, stderr)
		}
		lines := strings.Split(strings.TrimSuffix(stdout, "\n"), "\n")
		if rows > 0 && len(lines) > rows {
			t.Errorf("%v has %d lines", args, len(lines))
		}
		for _, line := range lines {
			if n := utf8.RuneCountInString(line); n > 80 {
				t.Errorf("%v has a line of %d: %s", args, n, line)
			}
		}
		return stdout
	}
	check(40, "--help")
	check(40)
	for _, c := range root.Commands() {
		check(40, c.Name(), "--help")
		check(0, "help", c.Name())
	}
	for _, topic := range topics {
		check(0, "help", topic.name)
	}
	for _, k := range finding.Kinds() {
		if page := check(0, "help", string(k)); !strings.HasPrefix(page, strings.ToUpper(string(k))+"\n") {
			t.Errorf("help %s begins with %.40s", k, page)
		}
	}
	if _, stderr, code := runProgram(t, t.TempDir(), "", "help", "expresions"); code != ExitNotDone ||
		!strings.Contains(stderr, "did you mean expressions?") {
		t.Errorf("help expresions ends with %d: %s", code, stderr)
	}
}

// A page of help loses no word of the docs.
func TestHelpHasAllWordsOfThePage(t *testing.T) {
	stdout, _, _ := runProgram(t, t.TempDir(), "", "help", "plan")
	shown := strings.Join(strings.Fields(stdout), " ")
	for _, want := range []string{
		"tables of other commands too. An unknown key or table, a value of a wrong type or out of range ends the run",
		"[[read.shape]] # branches that send another shape", "DRAFTING ONE", "- version stands first.",
	} {
		if !strings.Contains(shown, want) {
			t.Errorf("help plan lacks %q", want)
		}
	}
	for _, heading := range docs.Headings(docs.Plan, 2) {
		if !strings.Contains(shown, strings.ToUpper(heading)) {
			t.Errorf("help plan lacks %q", heading)
		}
	}
}
