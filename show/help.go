package show

import (
	"regexp"
	"strings"

	"github.com/jedib0t/go-pretty/v6/text"
)

// HelpWidth is how wide help is at the most.
const HelpWidth = 80

// Pair is an entry of help: a word, and what it means.
type Pair struct{ Word, Meaning string }

// Pairs lists entries, the meanings under each other and folded.
func Pairs(pairs []Pair) string {
	const indent, gap, most = 2, 2, 28
	width := 0
	for _, p := range pairs {
		if n := text.StringWidthWithoutEscSequences(p.Word); n <= most {
			width = max(width, n)
		}
	}
	at := indent + width + gap
	var b strings.Builder
	for _, p := range pairs {
		b.WriteString(strings.Repeat(" ", indent) + p.Word)
		used := text.StringWidthWithoutEscSequences(p.Word)
		if used > width {
			b.WriteString("\n")
			used = -indent
		}
		for i, line := range strings.Split(Folded(p.Meaning, HelpWidth-at), "\n") {
			if i > 0 {
				used = -indent
				b.WriteString("\n")
			}
			b.WriteString(strings.Repeat(" ", at-indent-used) + line)
		}
		b.WriteString("\n")
	}
	return b.String()
}

// Folded folds a text at words. A word that is too long for a line stands alone.
func Folded(paragraph string, width int) string {
	var lines []string
	line := ""
	for word := range strings.FieldsSeq(paragraph) {
		switch {
		case line == "":
			line = word
		case text.StringWidthWithoutEscSequences(line)+1+text.StringWidthWithoutEscSequences(word) <= width:
			line += " " + word
		default:
			lines = append(lines, line)
			line = word
		}
	}
	return strings.Join(append(lines, line), "\n")
}

// FoldedLines folds each line of a message that is wider than a screen; those that are set in, as command
// lines are, stay as they are. A width of 0 folds nothing.
func FoldedLines(message string, width int) string {
	lines := strings.Split(message, "\n")
	for i, line := range lines {
		if width > 0 && text.StringWidthWithoutEscSequences(line) > width && !strings.HasPrefix(line, " ") {
			lines[i] = Folded(line, width)
		}
	}
	return strings.Join(lines, "\n")
}

// exampleWord is a word of a command line, quotes and all.
var exampleWord = regexp.MustCompile(`(?:[^\s']|'[^']*')+`)

// Example folds a command line so that it can still be copied into a shell.
func Example(line string) string {
	const indent, more = "  ", "    "
	out, current := "", indent
	for i, word := range exampleWord.FindAllString(line, -1) {
		switch {
		case i == 0:
			current += word
		case len(current)+len(" \\")+1+len(word) <= HelpWidth:
			current += " " + word
		default:
			out += current + " \\\n"
			current = more + word
		}
	}
	return out + current + "\n"
}

var (
	stressed  = regexp.MustCompile(`(^|\s)\*([A-Z][^*]*)\*`)
	link      = regexp.MustCompile(`\[([^\]]*)\]\([^)]*\)`)
	listEntry = regexp.MustCompile(`^(\s*(?:[-*]|\d+\.) )(.*)$`)
)

// Page makes a page of the docs a text of the width of help: Markdown of headings, paragraphs,
// lists, tables and blocks of code, which stay as they are.
func Page(markdown string) string {
	p := new(page)
	for line := range strings.SplitSeq(strings.TrimRight(markdown, "\n"), "\n") {
		p.take(line)
	}
	p.end()
	return p.out.String()
}

// page is a page on its way.
type page struct {
	out       strings.Builder
	fenced    bool
	paragraph string
	first     string // what stands before the first line of the paragraph
	rows      []Pair
}

// plain takes marks out of a text.
func plain(line string) string {
	return strings.NewReplacer("`", "", "**", "", `\|`, "|").Replace(
		stressed.ReplaceAllString(link.ReplaceAllString(line, "$1"), "$1$2"))
}

func (p *page) take(line string) {
	switch {
	case strings.HasPrefix(line, "```"):
		p.end()
		p.fenced = !p.fenced
	case p.fenced && strings.HasPrefix(line, "lastblock "):
		p.out.WriteString(Example(line))
	case p.fenced:
		const indent = "  "
		if len(line)+len(indent) > HelpWidth {
			line = strings.ReplaceAll(Folded(line, HelpWidth-2*len(indent)), "\n", "\n"+indent+indent)
		}
		p.out.WriteString(strings.TrimRight(indent+line, " ") + "\n")
	case strings.HasPrefix(line, "|"):
		p.row(line)
	case strings.HasPrefix(line, "#"):
		p.end()
		p.out.WriteString(strings.ToUpper(plain(strings.TrimLeft(line, "# "))) + "\n")
	case strings.TrimSpace(line) == "":
		p.end()
		p.out.WriteString("\n")
	default:
		if entry := listEntry.FindStringSubmatch(line); entry != nil {
			p.end()
			p.first, line = entry[1], entry[2]
		}
		p.paragraph += " " + line
	}
}

// row takes a row of a table: its first cell is the word, and the others its meaning.
func (p *page) row(line string) {
	cells := strings.Split(strings.Trim(strings.ReplaceAll(line, `\|`, "\x00"), "| "), "|")
	for i := range cells {
		cells[i] = strings.ReplaceAll(plain(strings.TrimSpace(cells[i])), "\x00", "|")
	}
	if strings.Trim(cells[0], "-: ") == "" && len(cells[0]) > 0 {
		p.rows = p.rows[:max(0, len(p.rows)-1)] // the head, and the line below it
		return
	}
	var meaning []string
	for _, cell := range cells[1:] {
		if cell != "" {
			meaning = append(meaning, cell)
		}
	}
	p.rows = append(p.rows, Pair{cells[0], strings.Join(meaning, "; ")})
}

// end ends a paragraph or a table.
func (p *page) end() {
	if p.rows != nil {
		p.out.WriteString(Pairs(p.rows))
		p.rows = nil
	}
	if p.paragraph == "" {
		return
	}
	indent := strings.Repeat(" ", len(p.first))
	folded := strings.Split(Folded(plain(p.paragraph), HelpWidth-len(indent)), "\n")
	p.out.WriteString(p.first + strings.Join(folded, "\n"+indent) + "\n")
	p.paragraph, p.first = "", ""
}
