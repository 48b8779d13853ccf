package draft

import (
	"fmt"
	"path"
	"slices"
	"strings"

	"lastblock/core/capability/intake"
	"lastblock/core/finding"
	"lastblock/core/month/plan"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/core/value/words"
)

type findingOf = finding.Finding

func isGuess(f findingOf, name string) bool {
	return f.Kind == finding.EncodingGuessed && f.Source == name
}

// Text writes the plan, with comments that say what was seen. below is the path
// of the folder as seen from where the plan will lie; say writes the options in why something was
// passed over as the user knows them.
func (d *Draft) Text(below string, say func(message string) string) string {
	var b strings.Builder
	line := func(format string, arguments ...any) { fmt.Fprintf(&b, format+"\n", arguments...) }
	line("# Drafted from %s: %s in %s. Lines that begin with # say what was seen,", d.Folder,
		words.Count(d.Sources, "source"), words.Count(len(d.Shapes), "shape"))
	line("# and what may be meant; nothing of that is applied until the # is taken away.")
	line("%s = %d", plan.VersionKey, plan.Version)
	line("")
	line("[%s]", plan.ReadTable)
	var folders []string
	for _, folder := range d.Folders {
		folders = append(folders, path.Join(below, folder))
	}
	line("paths = %s", list(folders))
	if d.Pattern != "" {
		line("name = %s", quote(d.Pattern))
	}
	if len(d.Skip) > 0 {
		line("# these have other columns and other names than the rest:")
		line("skip = %s", list(d.Skip))
	}
	for _, p := range d.Passed {
		if strings.HasPrefix(path.Base(p.Source), ".") || p.Reason == source.OwnOutputReason {
			continue // nobody takes these for data
		}
		line("# passed over: %s (%s)", p.Source, say(p.Reason))
	}
	first := &d.Shapes[0]
	comment(line, strings.Join(first.Written, "; ")+": "+few(first.Sources))
	comment(line, "columns: "+columnList(first.Columns))
	writeAs(line, first.Columns)
	writeManner(line, first)
	for i := range d.Shapes[1:] {
		s := &d.Shapes[i+1]
		line("")
		comment(line, strings.Join(s.Written, "; ")+": "+few(s.Sources))
		var renames, others []string
		for _, differing := range s.Differs {
			if differing.Near != "" {
				renames = append(renames, differing.Name+"="+differing.Near)
			} else {
				others = append(others, differing.Name)
			}
		}
		if s.isSaid() || strings.Join(kinds(s.Columns), ",") != strings.Join(kinds(first.Columns), ",") {
			line("[[%s.%s]]", plan.ReadTable, plan.ShapeTable)
			line("%s = %s", plan.MatchKey, quote(s.Match))
			writeManner(line, s)
			comment(line, "columns: "+columnList(s.Columns))
			writeAs(line, s.Columns)
		}
		if len(renames) > 0 {
			line("# These may mean the same. If they do, take this in the place of 'as' above:")
			line("# rename = %s", list(renames))
			line("# as = %s", list(kinds(renamed(s))))
		}
		if len(others) > 0 {
			comment(line, "no other shape has: "+strings.Join(others, ", "))
		}
	}
	d.writeCommands(line, below)
	return b.String()
}

// comment writes a comment, on as many lines as it needs.
func comment(line func(string, ...any), text string) {
	const width = 96
	for len(text) > width {
		cut := strings.LastIndexByte(text[:width], ' ')
		if cut <= 0 {
			break
		}
		line("# %s", text[:cut])
		text = text[cut+1:]
	}
	line("# %s", text)
}

// renamed are the columns of a shape under the names that are proposed.
func renamed(s *Shape) []intake.Column {
	columns := slices.Clone(s.Columns)
	for i := range columns {
		for _, differing := range s.Differs {
			if differing.Name == columns[i].Name && differing.Near != "" {
				columns[i].Name = differing.Near
			}
		}
	}
	return columns
}

func (d *Draft) writeCommands(line func(string, ...any), below string) {
	line("")
	line("[tieout]")
	if len(d.Totals) > 0 {
		line("total = %s", list(d.Totals))
	}
	if d.Declared != "" {
		line("declared = %s", quote(path.Join(below, d.Declared)))
	} else {
		line("# declared = \"control.csv\" # what the branches declare, once there is a file of it")
	}
	if d.Roster != "" && strings.Contains(d.Pattern, "{entity}") {
		line("roster = %s", quote(path.Join(below, d.Roster)))
	}
	if len(d.Totals) == 0 {
		line("# no column holds amounts, so there is nothing to sum up")
		return
	}
	line("")
	line("[collate]")
	line("total = %s", list(d.Totals))
	line("")
	line("[rollup]")
	by := "source"
	if strings.Contains(d.Pattern, "{entity}") {
		by = "entity"
	}
	line("by = %s", quote(by))
	line("sum = %s", list(d.Totals[:1]))
	if strings.Contains(d.Pattern, "{period}") {
		line("across = \"period\"")
	}
}

// writeManner writes what has to be said of a shape.
func writeManner(line func(string, ...any), s *Shape) {
	if s.Encoding != "" {
		line("# the text is no UTF-8; this was taken for its encoding:")
		line("encoding = %s", quote(s.Encoding))
	}
	if s.HeaderLines > 0 {
		line("header-lines = %d", s.HeaderLines)
	}
	if s.Sheet != "" {
		line("# the sheet with the most rows; there is also %s", strings.Join(s.OtherSheets, ", "))
		line("sheet = %s", quote(s.Sheet))
	}
}

// writeAs writes the kinds of columns that are amounts and dates, so that all
// branches' are written alike.
func writeAs(line func(string, ...any), columns []intake.Column) {
	if kinds := kinds(columns); len(kinds) > 0 {
		line("as = %s", list(kinds))
	}
}

func kinds(columns []intake.Column) []string {
	var kinds []string
	for _, c := range columns {
		if c.Kind == record.Date || isMoney(c) {
			kinds = append(kinds, c.Name+"="+string(c.Kind))
		}
	}
	return kinds
}

// isSaid tells whether anything has to be said of how a shape is written.
func (s *Shape) isSaid() bool { return s.Encoding != "" || s.HeaderLines > 0 || s.Sheet != "" }

func columnList(columns []intake.Column) string {
	const most = 30
	var names []string
	for i, c := range columns {
		if i == most {
			names = append(names, fmt.Sprintf("and %d more", len(columns)-most))
			break
		}
		names = append(names, fmt.Sprintf("%s (%s)", c.Name, c.Kind))
	}
	return strings.Join(names, ", ")
}

func few(names []string) string {
	const most = 3
	if len(names) > most {
		return fmt.Sprintf("%s and %d more", strings.Join(names[:most], ", "), len(names)-most)
	}
	return strings.Join(names, ", ")
}

// quote writes a TOML string.
func quote(text string) string {
	var b strings.Builder
	b.WriteByte('"')
	for _, r := range text {
		switch {
		case r == '"' || r == '\\':
			b.WriteByte('\\')
			b.WriteRune(r)
		case r < ' ' || r == 0x7f:
			fmt.Fprintf(&b, "\\u%04X", r)
		default:
			b.WriteRune(r)
		}
	}
	b.WriteByte('"')
	return b.String()
}

func list(texts []string) string {
	quoted := make([]string, len(texts))
	for i, text := range texts {
		quoted[i] = quote(text)
	}
	return "[" + strings.Join(quoted, ", ") + "]"
}
