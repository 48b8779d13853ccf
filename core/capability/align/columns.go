package align

import (
	"slices"
	"strings"

	"lastblock/core/record"
	"lastblock/core/source"
)

// cell says in which column of the result stands a column of a source.
type cell struct{ data, at int }

// nameColumns finds out which columns the result has.
func (r *run) nameColumns() {
	s := r.side
	add := func(name string, source, data int) {
		c := Column{Name: name, Kind: record.Text, source: source, data: data}
		if data >= 0 {
			e := &s.Evidence[data]
			if slices.Contains(s.Amounts, data) {
				c.Kind, c.Scale = record.Amount, e.Scale
			} else if kind, others := e.Kind(s.Columns[data]); others == 0 &&
				(r.options.Kinds || kind == record.Amount) {
				c.Kind, c.Scale = kind, e.Scale // amounts stand with one decimal mark, whichever the sources have
			}
		}
		r.columns = append(r.columns, c)
	}
	for _, at := range r.key.Columns {
		add(s.Columns[at], -1, at)
	}
	var names record.Names
	for i := range r.columns {
		names.Take(r.columns[i].Name)
	}
	r.columns = append(r.columns, Column{Name: names.Free(PresentColumn), Kind: record.Amount, source: -1, data: -1})
	having := make([][]int, s.Data) // sources, by column
	index := make(map[string]int, s.Data)
	for data, name := range s.Columns[:s.Data] {
		index[name] = data
	}
	for i := range s.Set.Sources {
		for _, name := range s.Set.Head(i).Layout.Columns {
			if data, ok := index[name]; ok && !slices.Contains(r.key.Columns, data) {
				having[data] = append(having[data], i)
			}
		}
	}
	r.cells = make([][]cell, len(s.Set.Sources))
	of := r.namesOfSources()
	for data, sources := range having {
		for _, i := range sources {
			name := s.Columns[data]
			if len(sources) > 1 {
				name += " " + of[i]
			}
			r.cells[i] = append(r.cells[i], cell{data, len(r.columns)})
			add(names.Free(name), i, data)
		}
	}
}

// namesOfSources are how columns call the sources: as the files' names tell, by the first
// word of file names that tells them apart, or by all of them; else by the file's name,
// without its ending unless two are the same then.
func (r *run) namesOfSources() []string {
	words := r.side.Set.Words()
	for i := range words {
		if names := r.byWords(words[i : i+1]); names != nil {
			return names
		}
	}
	if names := r.byWords(words); names != nil {
		return names
	}
	var names []string
	count := make(map[string]int)
	for i := range r.side.Set.Sources {
		of := &r.side.Set.Sources[i]
		name := source.Stem(of.Name)
		if of.Sheet() != "" && strings.HasSuffix(of.Name, "/"+of.Sheet()) {
			name = source.Stem(strings.TrimSuffix(of.Name, "/"+of.Sheet())) + "/" + of.Sheet()
		}
		names = append(names, name)
		count[name]++
	}
	for i, name := range names {
		if count[name] > 1 {
			names[i] = r.side.Set.Sources[i].Name
		}
	}
	return names
}

// byWords are the sources by what some words of file names say of them; nil where that does
// not tell them apart.
func (r *run) byWords(words []string) []string {
	var names []string
	seen := make(map[string]bool)
	for i := range r.side.Set.Sources {
		var parts []string
		for _, word := range words {
			if value := r.side.Set.Word(i, word); value != "" {
				parts = append(parts, value)
			}
		}
		name := strings.Join(parts, " ")
		if name == "" || seen[name] {
			return nil
		}
		seen[name] = true
		names = append(names, name)
	}
	return names
}
