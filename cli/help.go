package cli

import (
	"fmt"
	"slices"
	"strings"

	"lastblock/core/capability/reconcile"
	"lastblock/core/finding"
	"lastblock/core/month"
	"lastblock/core/option"
	"lastblock/core/value/nearest"
	"lastblock/docs"
	"lastblock/show"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
)

// helpLines is how long the help of a command is at the most: one screen.
const helpLines = 40

// readingShown are the options of reading that the help of a command shows.
var readingShown = []string{"plan", "name", "only", "where", "make", "json"}

// topics are what help knows besides commands and kinds of findings.
var topics = []struct {
	name, about string
	text        func() string
}{
	{"reading", "what is read and how, for all commands that read sources", readingPage},
	{"output", "where results go, and what is written beside them", outputPage},
	{"plan", "a month end, written down once", func() string { return show.Page(docs.Plan) }},
	{"expressions", "what --where, --make and --rule are written in", expressionsPage},
	{"findings", "the kinds of findings; a kind, as control-total, is a topic too", findingsPage},
}

// help is the command that shows help.
func (a *app) help(root *cobra.Command) *cobra.Command {
	return &cobra.Command{
		Use:   "help [COMMAND | TOPIC | KIND]",
		Short: "More about a command, a topic or a kind of finding",
		Long: `Without a word it says which commands there are. Of a command it says all, where
'lastblock COMMAND --help' fits on a screen.`,
		Example: "  lastblock help reading\n  lastblock help tieout",
		RunE: func(_ *cobra.Command, words []string) error {
			if len(words) == 0 {
				fmt.Fprint(a.stdout, rootHelp(root))
				return nil
			}
			text, err := helpAbout(root, words[0])
			fmt.Fprint(a.stdout, text)
			return err
		},
	}
}

// helpAbout is what there is to say about a command, a topic or a kind of finding.
func helpAbout(root *cobra.Command, word string) (string, error) {
	var words []string
	for _, c := range root.Commands() {
		if words = append(words, c.Name()); c.Name() == word {
			return longHelp(c), nil
		}
	}
	for _, topic := range topics {
		if words = append(words, topic.name); topic.name == word {
			return topic.text(), nil
		}
	}
	for _, k := range finding.Kinds() {
		if words = append(words, string(k)); string(k) == word {
			return kindPage(k), nil
		}
	}
	return "", nearest.Unknown("topic", word, words)
}

// rootHelp says what the program is for, and which commands there are.
func rootHelp(root *cobra.Command) string {
	var b strings.Builder
	fmt.Fprintf(&b, "%s\n\n%s\n\n", show.Folded(root.Short, show.HelpWidth), folded(root.Long))
	b.WriteString("Commands, in the order of the work:\n")
	var pairs []show.Pair
	for _, c := range root.Commands() {
		if c.IsAvailableCommand() {
			pairs = append(pairs, show.Pair{Word: c.Name(), Meaning: c.Short})
		}
	}
	b.WriteString(show.Pairs(pairs) + "\nStart with:\n")
	for _, line := range examples(root) {
		b.WriteString(show.Example(line))
	}
	b.WriteString("'lastblock COMMAND --help' shows each at work. 'lastblock help TOPIC':\n")
	pairs = nil
	for _, topic := range topics {
		pairs = append(pairs, show.Pair{Word: topic.name, Meaning: topic.about})
	}
	return b.String() + show.Pairs(pairs)
}

// shortHelp is the help of a command on one screen: the question, examples, its own options,
// and the few of reading that matter most.
func shortHelp(cmd *cobra.Command) string {
	if cmd.Example == "" { // which no command of ours lacks
		return longHelp(cmd)
	}
	own, written, prefixed := ownFlags(cmd)
	pairs := make([]show.Pair, len(own))
	for i, f := range own {
		pairs[i] = show.Pair{Word: flagWord(f), Meaning: brief(f.Usage)}
	}
	var below strings.Builder
	fmt.Fprintf(&below, "\nUsage: %s\n", cmd.UseLine())
	if len(pairs) > 0 {
		below.WriteString("\n" + show.Pairs(pairs))
	}
	var rest []show.Pair
	if written != nil {
		rest = append(rest, show.Pair{Word: "output:", Meaning: strings.Join(words(written), ", ") +
			"; see 'help output'"})
	}
	if prefix, ok := prefixes[cmd.Name()]; ok && prefixed {
		rest = append(rest, show.Pair{Word: "reference:", Meaning: "--" + prefix +
			"NAME for each option of reading, as --" + prefix + "rename"})
	}
	if readsSources(cmd) {
		var shown []string
		for _, word := range readingShown {
			if cmd.Flags().Lookup(word) != nil {
				shown = append(shown, show.Flag(word))
			}
		}
		rest = append(rest, show.Pair{Word: "reading:", Meaning: strings.Join(shown, ", ") +
			" and more; see 'help reading'"})
	}
	rest = append(rest, show.Pair{Word: "more:", Meaning: "'lastblock help " + cmd.Name() + "'"})
	below.WriteString("\n" + show.Pairs(rest))
	const leastExamples, mostExamples, linesAbove = 2, 4, 3
	above := ""
	for n, line := range examples(cmd) {
		next := above + show.Example(line)
		lines := strings.Count(next, "\n") + strings.Count(below.String(), "\n")
		if n >= leastExamples && (n >= mostExamples || lines+linesAbove > helpLines) {
			break
		}
		above = next
	}
	return cmd.Short + "\n\nExamples, on the data of 'lastblock demo':\n" + above + below.String()
}

// longHelp is all that there is to say about a command.
func longHelp(cmd *cobra.Command) string {
	var b strings.Builder
	fmt.Fprintf(&b, "%s\n\nUsage: %s\n", show.Folded(cmd.Short, show.HelpWidth), cmd.UseLine())
	if cmd.Example == "" {
		return b.String() + "\n" + cmd.Long + "\n"
	}
	fmt.Fprintf(&b, "\n%s\n\nExamples, on the data of 'lastblock demo':\n", folded(cmd.Long))
	for _, line := range examples(cmd) {
		b.WriteString(show.Example(line))
	}
	own, written, prefixed := ownFlags(cmd)
	for _, group := range []struct {
		title string
		flags []*pflag.Flag
	}{{"Flags", own}, {"Output", written}} {
		if group.flags == nil {
			continue
		}
		fmt.Fprintf(&b, "\n%s:\n%s", group.title, show.Pairs(meanings(group.flags)))
	}
	if prefix, ok := prefixes[cmd.Name()]; ok && prefixed {
		fmt.Fprintf(&b, "\n%s\n", show.Folded(fmt.Sprintf("How the reference is read is said by the flags of "+
			"reading with "+
			"%s before their word, as --%srename.", prefix, prefix), show.HelpWidth))
	}
	if readsSources(cmd) {
		b.WriteString(readingHelp(cmd))
	}
	return b.String()
}

// readsSources tells whether a command reads sources.
func readsSources(cmd *cobra.Command) bool { return cmd.Flags().Lookup("recurse") != nil }

// readingHelp says where the flags of reading are explained, and which there are where some do not hold.
func readingHelp(cmd *cobra.Command) string {
	const page = "What is read, and how: see 'lastblock help reading'."
	if cmd.Flags().Lookup("columns") != nil {
		return "\n" + page + "\n"
	}
	var some []string
	for _, o := range new(month.Reading).Options() {
		if cmd.Flags().Lookup(o.Word) != nil {
			some = append(some, show.Flag(o.Word))
		}
	}
	return "\n" + show.Folded(page+" Of these flags there are "+strings.Join(some, ", ")+".", show.HelpWidth) + "\n"
}

// prefixes are those of options that speak of a reference, by command.
var prefixes = map[string]string{"reconcile": reconcile.ReferencePrefix, "attach": month.FromPrefix}

// ownFlags are the flags of a command alone, and those that say what is written; prefixed tells
// whether there are others for a reference.
func ownFlags(cmd *cobra.Command) (own, written []*pflag.Flag, prefixed bool) {
	reading, writing := new(month.Reading).Options(), new(month.Writing).Options()
	reads := readsSources(cmd)
	var reference option.List
	for _, prefix := range prefixes {
		reference = append(reference, month.ReferenceOptions(prefix)...)
	}
	cmd.LocalFlags().VisitAll(func(f *pflag.Flag) {
		switch {
		case f.Name == "help":
		case reads && reading.Find(f.Name) != nil:
		case reads && reference.Find(f.Name) != nil:
			prefixed = true
		case reads && writing.Find(f.Name) != nil:
			written = append(written, f)
		default:
			own = append(own, f)
		}
	})
	return own, written, prefixed
}

// flagWord writes a flag with what stands behind it.
func flagWord(f *pflag.Flag) string {
	kinds := map[string]string{"string": " TEXT", "int": " N", "stringSlice": " LIST", "stringArray": " TEXT"}
	kind := kinds[f.Value.Type()]
	if _, isFile := f.Annotations[cobra.BashCompFilenameExt]; isFile {
		kind = " FILE"
	}
	return show.Flag(f.Name) + kind
}

func words(flags []*pflag.Flag) (all []string) {
	for _, f := range flags {
		all = append(all, show.Flag(f.Name))
	}
	return all
}

// meanings are flags with all that is said of them.
func meanings(flags []*pflag.Flag) (pairs []show.Pair) {
	for _, f := range flags {
		meaning := f.Usage
		if usual := f.DefValue; usual != "" && usual != "false" && usual != "0" && usual != "[]" {
			meaning += " (" + usual + ")"
		}
		pairs = append(pairs, show.Pair{Word: flagWord(f), Meaning: meaning})
	}
	return pairs
}

// brief is the first thing that is said of a flag.
func brief(meaning string) string {
	const enough = 50
	for _, mark := range []string{"; ", ": ", ", e.g. ", " (", ", "} {
		if len(meaning) <= enough {
			break
		}
		if first, _, cut := strings.Cut(meaning, mark); cut && strings.Count(first, "'")%2 == 0 {
			meaning = first
		}
	}
	return meaning
}

// examples are the command lines that show a command at work.
func examples(cmd *cobra.Command) (lines []string) {
	for line := range strings.SplitSeq(cmd.Example, "\n") {
		if line = strings.TrimSpace(line); line != "" {
			lines = append(lines, line)
		}
	}
	return lines
}

// folded folds each paragraph of a text.
func folded(long string) string {
	paragraphs := strings.Split(strings.TrimSpace(long), "\n\n")
	for i := range paragraphs {
		paragraphs[i] = show.Folded(paragraphs[i], show.HelpWidth)
	}
	return strings.Join(paragraphs, "\n\n")
}

// optionPairs are options as flags, with all that is said of them.
func optionPairs(options option.List) (pairs []show.Pair) {
	kinds := map[option.Kind]string{option.Text: " TEXT", option.Number: " N", option.Texts: " LIST"}
	for _, o := range options {
		pairs = append(pairs, show.Pair{Word: show.Flag(o.Word) + kinds[o.Kind()], Meaning: show.Flags(o.Meaning)})
	}
	return pairs
}

func readingPage() string {
	return "What is read, and how: of all commands that read sources.\n\n" + folded(`PATH is a file, a folder, a
pattern (** too) or - for standard input. A folder means every data file directly in it. Each of these is
a flag, and but for --plan, --quiet and --json a key of [read] in a plan.`) + "\n\n" +
		show.Pairs(optionPairs(month.NewIntake().Sources().Options()))
}

func outputPage() string {
	return "Where results go, and what is written beside them.\n\n" + folded(`Without --out a result goes to standard
output: as a table on a terminal, as CSV into a pipe. Files appear whole or not at all. In their paths {name}
stands for the name of a result of a plan, and {period} for the period.`) + "\n\n" +
		show.Pairs(optionPairs(new(month.Writing).Options()))
}

func expressionsPage() string {
	text, _ := docs.Section(docs.Reading, "### Expressions")
	return show.Page("# Expressions\n\n" + text)
}

// findingsPage lists the kinds by severity.
func findingsPage() string {
	var b strings.Builder
	b.WriteString(folded(`A "stop" finding keeps results from being written and makes the exit code 1; a "review" is
something a person should look at; a "note" is good to know. --severity KIND=stop|review|note gives a kind another one.
'lastblock help KIND' says what a kind costs, and what to do.`) + "\n")
	for _, severity := range []finding.Severity{finding.Stop, finding.Review, finding.Note} {
		var kinds []string
		for _, k := range finding.Kinds() {
			if k.Severity() == severity {
				kinds = append(kinds, string(k))
			}
		}
		slices.Sort(kinds)
		fmt.Fprintf(&b, "\n%s\n%s\n", severity, show.Folded(strings.Join(kinds, ", "), show.HelpWidth))
	}
	return b.String()
}

func kindPage(k finding.Kind) string {
	text, _ := docs.Section(docs.Findings, "### "+string(k))
	return show.Page("# " + string(k) + "\n" + text)
}
