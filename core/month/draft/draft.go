// Package draft writes a plan from what lies in a folder: which files are
// sources, what their names tell, in how many shapes they come, what each
// column holds, and what can be totalled.
package draft

import (
	"context"
	"fmt"
	"os"
	"path"
	"path/filepath"
	"regexp"
	"slices"
	"strings"

	"lastblock/core/capability/intake"
	"lastblock/core/format/delimited"
	"lastblock/core/month/plan"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/core/value/natural"
	"lastblock/core/value/nearest"

	"github.com/bmatcuk/doublestar/v4"
)

// Draft is what was found out about a folder.
type Draft struct {
	Folder   string
	Folders  []string // in which the sources lie, below Folder
	Pattern  string   // of the files' names, "" where they tell nothing
	Skip     []string // files that are data of another sort
	Declared string   // the control sheet, "" for none
	Roster   string   // who has to file, "" for nothing that tells
	Shapes   []Shape  // the most frequent one first
	Totals   []string // amount columns of the first shape
	Sources  int
	Passed   []source.PassedOver
}

// Shape is what some of the sources have in common.
type Shape struct {
	Match       string // a pattern of their names
	Sources     []string
	Written     []string // how they are written, in words
	Columns     []intake.Column
	HeaderLines int
	Sheet       string // the one that is meant, "" where there is only one
	OtherSheets []string
	Encoding    string // that was guessed, "" where it is known
	Differs     []Differing
}

// Differing is a column whose name the first shape does not have.
type Differing struct {
	Name string
	Near string // a name of the first shape that may mean the same, "" for none
}

// file is one source while it is looked at.
type file struct {
	name    string // the path below the folder, without a sheet
	base    string // the name by which a pattern knows it
	sheet   string
	others  []string // sheets of the same workbook
	lines   int      // of the header
	found   *intake.Sheet
	guessed bool
	entity  string
}

// Run looks at a folder and all below it. skip are patterns of files to leave
// out.
func Run(ctx context.Context, folder string, skip []string, reading source.Reading) (*Draft, error) {
	files, passed, err := look(ctx, folder, skip, reading)
	if err != nil {
		return nil, err
	}
	d := &Draft{Folder: folder, Passed: passed}
	files = slices.DeleteFunc(files, func(f *file) bool {
		if d.Declared == "" && isControlSheet(f.found.Columns) {
			d.Declared = f.name
			return true
		}
		if d.Roster == "" && isRoster(f.found.Columns) {
			d.Roster = f.name
			return true
		}
		return false
	})
	if len(files) == 0 {
		return nil, fmt.Errorf("%s: there is no source to write a plan for", folder)
	}
	d.Pattern = findPattern(files)
	d.setEntities(files)
	shapes := group(files)
	shapes = d.leaveOutOthers(shapes)
	for _, members := range shapes {
		d.Shapes = append(d.Shapes, d.shape(members, files))
		d.Sources += len(members)
		for _, f := range members {
			if dir := path.Dir(firstPart(f.name)); !slices.Contains(d.Folders, dir) {
				d.Folders = append(d.Folders, dir)
			}
		}
	}
	slices.SortFunc(d.Folders, natural.Compare)
	d.compare()
	for _, c := range d.Shapes[0].Columns {
		if isMoney(c) && !isRate(c.Name) {
			d.Totals = append(d.Totals, c.Name)
		}
	}
	return d, nil
}

// isMoney tells whether a column holds amounts of money, which somewhere have
// decimals; whole numbers alone may be codes.
func isMoney(c intake.Column) bool { return c.Kind == record.Amount && c.Scale > 0 }

// isRate tells by its name a column whose sum would say nothing.
func isRate(name string) bool {
	words := strings.FieldsFunc(strings.ToLower(name), func(r rune) bool { return !('a' <= r && r <= 'z' || r == '%') })
	return slices.ContainsFunc(words, func(word string) bool {
		return slices.Contains([]string{"rate", "rates", "price", "percent", "factor", "%"}, word)
	})
}

// firstPart is the path of the file itself: without the entry of an archive.
func firstPart(name string) string {
	if i := strings.Index(strings.ToLower(name), ".zip/"); i >= 0 {
		return name[:i+len(".zip")]
	}
	return name
}

// look reads all sources twice: the second time those whose header has two
// rows.
func look(ctx context.Context, folder string, skip []string,
	reading source.Reading) ([]*file, []source.PassedOver, error) {
	set, result, err := read(ctx, folder, skip, 0, reading)
	if err != nil {
		return nil, nil, err
	}
	var files []*file
	var names []string
	twice := false
	for i := range result.Sources {
		s := &result.Sources[i]
		src := &set.Sources[s.Index]
		f := &file{name: src.Name, sheet: src.Sheet(), found: s}
		names = append(names, src.Name)
		if f.sheet != "" {
			f.name = strings.TrimSuffix(f.name, "/"+f.sheet)
		}
		f.base = path.Base(f.name)
		f.guessed = slices.ContainsFunc(result.Findings, func(other findingOf) bool { return isGuess(other, src.Name) })
		if s.Head.Continues {
			f.lines, twice = 2, true
		}
		files = append(files, f)
	}
	if twice {
		set, again, err := read(ctx, folder, skip, 2, reading)
		if err != nil {
			return nil, nil, err
		}
		found := make(map[string]*intake.Sheet) // by name, since an own output may not be known with another header
		for i := range again.Sources {
			found[set.Sources[again.Sources[i].Index].Name] = &again.Sources[i]
		}
		for i, f := range files {
			if f.lines == 2 {
				f.found = found[names[i]]
			}
		}
	}
	return onePerWorkbook(files), set.PassedOver, nil
}

func read(ctx context.Context, folder string, skip []string, lines int,
	reading source.Reading) (*source.Set, *intake.Result, error) {
	manner := &source.Manner{Choice: source.Choice{Sheet: "*"}, Request: delimited.Request{HeaderLines: lines}}
	set, err := source.Find(ctx, source.Search{Paths: []string{folder}, Recurse: true, Skip: skip, Manner: manner,
		Jobs: reading.Jobs})
	if err != nil {
		return nil, nil, err
	}
	passOverPlanned(folder, set)
	result, err := intake.Run(ctx, set, reading, intake.Options{})
	return set, result, err
}

// passOverPlanned leaves out what lies in folders with a plan of their own, each of
// which is another month end.
func passOverPlanned(folder string, set *source.Set) {
	root := filepath.Clean(folder)
	plans := make(map[string]string) // by folder: the one with the plan, "" for none
	var planOf func(of string) string
	planOf = func(of string) string {
		if of == root || of == filepath.Dir(of) {
			return ""
		}
		with, known := plans[of]
		if !known {
			if with = planOf(filepath.Dir(of)); with == "" {
				if _, err := os.Stat(filepath.Join(of, plan.Name)); err == nil {
					with = of
				}
			}
			plans[of] = with
		}
		return with
	}
	told := make(map[string]bool)
	set.Sources = slices.DeleteFunc(set.Sources, func(s source.Source) bool {
		with := planOf(filepath.Dir(s.Path))
		if with != "" && !told[with] {
			told[with] = true
			below := filepath.ToSlash(strings.TrimPrefix(strings.TrimPrefix(with, root), string(filepath.Separator)))
			set.PassedOver = slices.DeleteFunc(set.PassedOver,
				func(p source.PassedOver) bool { return strings.HasPrefix(p.Source, below+"/") })
			set.PassedOver = append(set.PassedOver,
				source.PassedOver{Source: below, Reason: "a month end with a plan of its own"})
		}
		return with != ""
	})
}

// onePerWorkbook keeps of each workbook the sheet with the most rows.
func onePerWorkbook(files []*file) []*file {
	byName := make(map[string]*file)
	var kept []*file
	for _, f := range files {
		first := byName[f.name]
		if f.sheet == "" || first == nil {
			byName[f.name] = f
			kept = append(kept, f)
			continue
		}
		other := f.sheet
		if f.found.Rows > first.found.Rows {
			other = first.sheet
			first.sheet, first.found, first.lines = f.sheet, f.found, f.lines
		}
		first.others = append(first.others, other)
	}
	return kept
}

// isControlSheet knows what branches declared by its columns.
func isControlSheet(columns []intake.Column) bool {
	return has(columns, "rows") && (has(columns, "source") || has(columns, "entity"))
}

// isRoster knows who has to file by its columns.
func isRoster(columns []intake.Column) bool {
	return has(columns, "entity") && (has(columns, "from") || has(columns, "until"))
}

func has(columns []intake.Column, name string) bool {
	return slices.ContainsFunc(columns, func(c intake.Column) bool { return c.Name == name })
}

// periodForm is a month, a quarter, an ISO week or a day, as names bear it.
var periodForm = regexp.MustCompile(`(?:19|20)\d\d(?:-?Q[1-4]|-?W\d\d|[-_.]?(?:0[1-9]|1[0-2])(?:[-_.]?(?:0[1-9]|[12]\d|3[01]))?)`)

// findPattern finds what the names tell: a period, and before or behind it what
// differs. Of the patterns that the names suggest, it takes the one that most
// of them match.
func findPattern(files []*file) string {
	votes := make(map[string]int)
	for _, f := range files {
		stem := source.Stem(f.base)
		at := periodForm.FindStringIndex(stem)
		if at == nil {
			continue
		}
		before, behind := stem[:at[0]], stem[at[1]:]
		entity := strings.TrimRight(before, " _.-")
		rest := strings.TrimLeft(behind, " _.-")
		switch {
		case entity != "" && rest == "":
			votes["{entity}"+before[len(entity):]+"{period}"]++
		case entity != "":
			votes["{entity}"+before[len(entity):]+"{period}*"]++
		case rest != "":
			votes["{period}"+behind[:len(behind)-len(rest)]+"{entity}"]++
		default:
			votes["{period}"]++
		}
	}
	best, matched := "", 0
	for text := range votes {
		pattern, err := source.ParseNamePattern(text)
		if err != nil {
			continue
		}
		n := 0
		for _, f := range files {
			if _, ok := pattern.Match(f.base, ""); ok {
				n++
			}
		}
		if n > matched || n == matched && (len(text) < len(best) || len(text) == len(best) && text < best) {
			best, matched = text, n
		}
	}
	if best == "" && len(files) > 1 {
		best = "{entity}"
	}
	return withoutCommonWords(best, files)
}

// withoutCommonWords takes the words with which all entities begin out of them:
// "Sales North" and "Sales South" are North and South.
func withoutCommonWords(text string, files []*file) string {
	pattern, err := source.ParseNamePattern(text)
	if err != nil || !strings.HasPrefix(text, "{entity}") {
		return text
	}
	common, differ := "", false
	for i, f := range files {
		values, ok := pattern.Match(f.base, "")
		if !ok {
			continue
		}
		entity := values[0]
		if i == 0 {
			common = entity
		}
		for !strings.HasPrefix(entity, common) {
			common, differ = common[:len(common)-1], true
		}
	}
	words := strings.LastIndexAny(common, " _.-") + 1
	if !differ || words == 0 || strings.ContainsAny(common[:words], "{}*?") {
		return text
	}
	return common[:words] + text
}

func (d *Draft) setEntities(files []*file) {
	if d.Pattern == "" {
		return
	}
	pattern, err := source.ParseNamePattern(d.Pattern)
	if err != nil {
		return
	}
	for _, f := range files {
		values, ok := pattern.Match(f.base, "")
		for i, word := range pattern.Words {
			if ok && word == "entity" {
				f.entity = values[i]
			}
		}
	}
}

// group puts files of one shape together, the largest group first.
func group(files []*file) [][]*file {
	var keys []string
	byKey := make(map[string][]*file)
	for _, f := range files {
		var names []string
		for _, c := range f.found.Columns {
			names = append(names, c.Name)
		}
		slices.Sort(names)
		key := fmt.Sprint(f.lines, "\x00", f.guessed, "\x00", len(f.others) > 0, "\x00", strings.Join(names, "\x00"))
		if byKey[key] == nil {
			keys = append(keys, key)
		}
		byKey[key] = append(byKey[key], f)
	}
	var groups [][]*file
	for _, key := range keys {
		groups = append(groups, byKey[key])
	}
	slices.SortStableFunc(groups, func(a, b []*file) int { return len(b) - len(a) })
	return groups
}

// leaveOutOthers takes out files that are data of another sort: their names do
// not match, and most of their columns are not those of the first shape.
func (d *Draft) leaveOutOthers(groups [][]*file) [][]*file {
	var kept [][]*file
	for i, members := range groups {
		matches := slices.ContainsFunc(members,
			func(f *file) bool { return f.entity != "" && strings.Contains(d.Pattern, "{period}") })
		if i == 0 || matches || 2*shared(groups[0][0], members[0]) >= len(members[0].found.Columns) {
			kept = append(kept, members)
			continue
		}
		for _, f := range members {
			d.Skip = append(d.Skip, f.base)
		}
	}
	return kept
}

func shared(a, b *file) int {
	n := 0
	for _, c := range b.found.Columns {
		if slices.ContainsFunc(a.found.Columns, func(other intake.Column) bool { return other.Name == c.Name }) {
			n++
		}
	}
	return n
}

// shape describes the files of a group.
func (d *Draft) shape(members, all []*file) Shape {
	first := members[0]
	s := Shape{HeaderLines: first.lines, Columns: agreed(members)}
	if len(first.others) > 0 {
		s.Sheet, s.OtherSheets = first.sheet, first.others
	}
	if first.guessed {
		s.Encoding = first.found.Encoding
	}
	for _, f := range members {
		s.Sources = append(s.Sources, f.name)
		if text := writtenAs(f.found); !slices.Contains(s.Written, text) {
			s.Written = append(s.Written, text)
		}
	}
	s.Match = match(members, all, d.Pattern)
	return s
}

// agreed are the columns of files of one shape, with the kinds on which all
// agree in which the column is filled; where they do not, it is text.
func agreed(members []*file) []intake.Column {
	columns := slices.Clone(members[0].found.Columns)
	for i := range columns {
		c := &columns[i]
		for _, f := range members[1:] {
			at := slices.IndexFunc(f.found.Columns, func(other intake.Column) bool { return other.Name == c.Name })
			other := f.found.Columns[at] // one shape has one set of names
			switch {
			case other.Filled == 0:
			case c.Filled == 0:
				*c = other
			case c.Kind != other.Kind:
				c.Kind = record.Text
			default:
				c.Scale = max(c.Scale, other.Scale)
			}
		}
	}
	return columns
}

// match finds a pattern that matches these files and no others, and so that it
// holds for next month's as well: by entity, by entity and ending, and only
// where neither does by their names.
func match(members, all []*file, pattern string) string {
	var entities, names []string
	ending := path.Ext(members[0].base)
	for _, f := range members {
		if !slices.Contains(entities, f.entity) {
			entities = append(entities, f.entity)
		}
		names = append(names, f.base)
		if path.Ext(f.base) != ending {
			ending = ""
		}
	}
	byEntity := globOf(pattern, entities)
	for _, candidate := range []string{byEntity, strings.TrimSuffix(byEntity, "*") + "*" + ending} {
		exact := byEntity != ""
		for _, f := range all {
			ok, err := doublestar.Match(candidate, f.base)
			exact = exact && err == nil && ok == slices.Contains(members, f)
		}
		if exact {
			return candidate
		}
	}
	return oneOf(names)
}

// globOf is the pattern of names for some entities, "" where there is none.
func globOf(pattern string, entities []string) string {
	if slices.Contains(entities, "") || !strings.Contains(pattern, "{entity}") {
		return ""
	}
	before, behind, _ := strings.Cut(pattern, "{entity}")
	glob := before + oneOf(entities) + behind + "*"
	glob = strings.ReplaceAll(glob, "{period}", "*")
	for strings.Contains(glob, "**") {
		glob = strings.ReplaceAll(glob, "**", "*")
	}
	return glob
}

// oneOf is a pattern for one of several texts.
func oneOf(texts []string) string {
	if len(texts) == 1 {
		return texts[0]
	}
	return "{" + strings.Join(texts, ",") + "}"
}

// writtenAs says how a source is written.
func writtenAs(s *intake.Sheet) string {
	text := s.Head.Format
	if s.Head.Delimiter != 0 {
		text = map[byte]string{',': "comma", ';': "semicolon", '\t': "tab", '|': "pipe"}[s.Head.Delimiter]
		if text == "" {
			text = fmt.Sprintf("%q", s.Head.Delimiter)
		}
		if text += " between fields"; s.Separated != "" {
			text = "columns by " + s.Separated
		}
		text += ", " + s.Encoding
		if s.Decimal == ',' {
			text += ", decimal comma"
		}
	}
	if s.Packed != "" {
		text += ", " + s.Packed
	}
	if s.Head.Above > 0 {
		text += fmt.Sprintf(", lines above the header: %d", s.Head.Above)
	}
	if !s.Head.HasHeader() && !s.Head.Empty {
		text += ", no header"
	}
	return text
}

// compare finds out which columns of each shape the first one does not have,
// and which of its own may mean the same.
func (d *Draft) compare() {
	var usual []string
	for _, c := range d.Shapes[0].Columns {
		usual = append(usual, c.Name)
	}
	for i := 1; i < len(d.Shapes); i++ {
		s := &d.Shapes[i]
		var missing []string
		for _, name := range usual {
			if !slices.ContainsFunc(s.Columns, func(c intake.Column) bool { return c.Name == name }) {
				missing = append(missing, name)
			}
		}
		for _, c := range s.Columns {
			if slices.Contains(usual, c.Name) {
				continue
			}
			differing := Differing{Name: c.Name, Near: nearName(c.Name, missing)}
			s.Differs = append(s.Differs, differing)
		}
	}
}

// nearName finds a name that may mean the same: one that the name ends or
// begins with as a word, or one that is few letters away.
func nearName(name string, among []string) string {
	words := strings.FieldsFunc(strings.ToLower(name), func(r rune) bool { return strings.ContainsRune(" ._-", r) })
	for _, candidate := range among {
		lower := strings.ToLower(candidate)
		if len(words) > 0 && (words[len(words)-1] == lower || words[0] == lower) || strings.EqualFold(name, candidate) {
			return candidate
		}
	}
	if near, ok := nearest.To(name, among); ok {
		return near
	}
	return ""
}
