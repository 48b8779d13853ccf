package cli

import (
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"lastblock/core/capability/reconcile"
	"lastblock/core/month"
	"lastblock/core/option"
	"lastblock/core/source"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
)

var writePage = flag.Bool("write", false, "write docs/options.md anew")

// commandOf is the command of a task.
func commandOf(t *testing.T, task month.Task) *cobra.Command {
	t.Helper()
	for _, c := range new(app).root().Commands() {
		if c.Name() == task.Name() {
			return c
		}
	}
	t.Fatalf("there is no command %s", task.Name())
	return nil
}

// Each option is a flag, with its meaning in the help and completion where it names files or
// columns, and a key of a plan unless it is about a single run; and no flag is anything else.
func TestEachOptionIsAFlagAndAKey(t *testing.T) {
	for _, task := range month.Tasks() {
		cmd := commandOf(t, task)
		help := ""
		for _, about := range []string{task.Name(), "reading"} {
			text, _, code := runProgram(t, t.TempDir(), "", "help", about)
			if code != ExitDone {
				t.Fatalf("help %s ends with %d", about, code)
			}
			help += strings.Join(strings.Fields(text), " ")
		}
		options := month.AllOptions(task)
		cmd.Flags().VisitAll(func(f *pflag.Flag) {
			if f.Name != "help" && options.Find(f.Name) == nil {
				t.Errorf("%s: --%s is no option", task.Name(), f.Name)
			}
		})
		for i, o := range options {
			name := task.Name() + " --" + o.Word
			f := cmd.Flags().Lookup(o.Word)
			if f == nil {
				t.Errorf("%s is no flag", name)
				continue
			}
			isReference := strings.HasPrefix(o.Word, reconcile.ReferencePrefix) ||
				strings.HasPrefix(o.Word, month.FromPrefix)
			if o.Meaning == "" || !strings.Contains(help, f.Usage) && !isReference ||
				strings.Contains(f.Usage, option.Mark(o.Word)) {
				t.Errorf("%s is not in the help", name)
			}
			if options.Find(o.Word) != options[i] {
				t.Errorf("%s stands twice", name)
			}
			if _, ok := f.Annotations[cobra.BashCompFilenameExt]; ok != (o.File != option.NoFile) {
				t.Errorf("%s completes files: %v", name, ok)
			}
			if complete, ok := cmd.GetFlagCompletionFunc(o.Word); (complete != nil &&
				ok) != (o.Columns != option.NoColumns) {
				t.Errorf("%s completes columns: %v", name, ok)
			}
			own := task.Options().Find(o.Word) != nil
			perResult := o.PerResult && (task.Name() != "close" || o.Word == "severity")
			if !slices.Contains(shared, task.Name()) || own || perResult || o.OneRun {
				checkKey(t, task, o)
			}
		}
	}
}

// shared are the commands that take part in the one reading of a month end; in their tables stands
// nothing about how sources are read.
var shared = []string{"tieout", "doubles", "collate", "rollup", "reconcile", "attach", "align", "split", "close",
	"report"}

// checkKey makes sure that a plan takes an option as a key, and says of one that is nearly its
// word which may be meant.
func checkKey(t *testing.T, task month.Task, o *option.Option) {
	t.Helper()
	values := map[option.Kind]string{option.Text: `"x"`, option.Number: "7", option.Truth: "true",
		option.Texts: `["x"]`}
	value := values[o.Kind()]
	if checked, ok := map[string]string{"close period": `"2031-03"`, "close require": `["roster"]`,
		"close allow": `["no-source"]`, "report out": `["x.html"]`, "report section": `["figures"]`,
		"report hide": `["proof"]`}[task.Name()+" "+o.Word]; ok {
		value = checked
	}
	file := filepath.Join(t.TempDir(), "lastblock.toml")
	read := func(key string) error {
		text := fmt.Sprintf("version = 1\n[%s]\n%s = %s\n", task.Name(), key, value)
		if err := os.WriteFile(file, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
		_, err := month.ReadPlan(file)
		return err
	}
	if err := read(o.Word); (err == nil) == o.OneRun {
		t.Errorf("the key %s of %s: %v", o.Word, task.Name(), err)
	}
	if err := read(o.Word + "x"); err == nil || !o.OneRun && !strings.Contains(err.Error(), "did you mean") {
		t.Errorf("the key %sx of %s: %v", o.Word, task.Name(), err)
	}
}

// docs/options.md is the table of options.
func TestThePageOfOptions(t *testing.T) {
	const page = "../docs/options.md"
	want := optionsPage()
	if *writePage {
		if err := os.WriteFile(page, []byte(want), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	got, err := os.ReadFile(page)
	if err != nil {
		t.Fatal(err)
	}
	if string(got) != want {
		t.Errorf("%s is not the table of options; 'go test ./cli -run TestThePageOfOptions -write' writes it anew",
			page)
	}
}

// pageHead stands above the tables, with ' for the quotes of code.
const pageHead = `# Options

Each option is a flag, '--word', and a key of a plan, 'word', but for those that are about a single
run, which are flags alone. Of an option that adds up, what several places say holds together
([plan.md](plan.md)).

## What is read, and how
Of every command that reads sources, and of '[read]'. Those with a ✓ may stand in a '[[read.shape]]',
too; with 'against-' (of 'reconcile') or 'from-' (of 'attach') before them these, and 'only', 'skip' and
'recurse', speak of the reference.

| option | shape | takes | means |
|---|---|---|---|
`

func optionsPage() string {
	var b strings.Builder
	b.WriteString(strings.ReplaceAll(pageHead, "'", "`"))
	shape := new(source.MannerRequest).Options()
	var reference []string // words of options that speak of one
	for _, prefix := range []string{reconcile.ReferencePrefix, month.FromPrefix} {
		reference = append(reference, (&source.Request{Prefix: prefix}).ReferenceOptions().Words()...)
	}
	for _, o := range month.NewIntake().Sources().Options() {
		in := ""
		if shape.Find(o.Word) != nil {
			in = "✓"
		}
		fmt.Fprintf(&b, "| `%s` | %s | %s | %s |\n", o.Word, in, takes(o), meaning(o))
	}
	for _, task := range month.Tasks() {
		fmt.Fprintf(&b, "\n## `%s`\n| option | takes | means |\n|---|---|---|\n", task.Name())
		options := slices.Clone(task.Options())
		slices.SortFunc(options, func(x, y *option.Option) int { return strings.Compare(x.Word, y.Word) })
		for _, o := range options {
			if slices.Contains(reference, o.Word) {
				continue
			}
			fmt.Fprintf(&b, "| `%s` | %s | %s |\n", o.Word, takes(o), meaning(o))
		}
	}
	return b.String()
}

func takes(o *option.Option) string {
	text := string(o.Kind())
	switch {
	case o.Whole:
		text = "texts"
	case o.File != option.NoFile && o.Kind() == option.Text:
		text = "path"
	}
	if o.Subject != nil {
		text += ", adds up"
	}
	if o.OneRun {
		text += "; flag alone"
	}
	if given := o.Default(); given != "" {
		text += " (" + given + ")"
	}
	return text
}

func meaning(o *option.Option) string {
	quote := func(word string) string { return "`" + word + "`" }
	return strings.ReplaceAll(option.Say(o.Meaning, quote, quote), "|", `\|`)
}
