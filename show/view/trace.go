package view

import (
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"

	"lastblock/core/capability/trace"
	"lastblock/core/finding"
	"lastblock/core/month"
	"lastblock/core/record"
	"lastblock/core/value/amount"
	"lastblock/show"
)

// Trace is where a figure comes from.
type Trace struct {
	*month.Traced
	Findings []finding.Finding
	Most     int     // how many records are shown; 0 for all
	Made     *Handed // the file that was asked about; nil for none
}

// Handed is a file that was handed out, and the figure as it has it.
type Handed struct {
	File   string
	Plan   string
	Amount *amount.Amount // nil where the file has no such figure
}

// visit is Visit of no more records than are asked for.
func (t *Trace) visit(visit func(source string, r *trace.Record) error) error {
	n := 0
	return t.Visit(func(source string, r *trace.Record) error {
		if n++; t.Most > 0 && n > t.Most {
			return nil
		}
		return visit(source, r)
	})
}

// figure says which figure it is.
func (t *Trace) figure() string {
	text := t.Sum
	var said []string
	for _, w := range t.Words {
		said = append(said, w.Column+" "+w.Value)
	}
	if len(said) > 0 {
		text += " of " + strings.Join(said, ", ")
	}
	if t.Of != "" {
		text += " in " + t.Of
	}
	return text
}

// giving are how many sources give something to the figure.
func (t *Trace) giving() (n int) {
	for i := range t.Sources {
		if s := &t.Sources[i]; !t.AsSealed && s.Records > 0 || t.AsSealed && s.Was.Sign() != 0 {
			n++
		}
	}
	return n
}

// Print prints it. out is the file that has the records, "" for none.
func (t *Trace) Print(s *show.Screen, out string) error {
	value := t.Amount
	if t.AsSealed {
		value = t.Sealed
	}
	fmt.Fprintln(s, s.Bold(show.FoldedLines(fmt.Sprintf("%s: %s, from %s of %s", t.figure(), value.Money(),
		show.Count(t.Listed(), "record"), show.Count(t.giving(), "source")), s.Width)))
	if len(t.Others) > 0 {
		fmt.Fprintf(s, "it sums up %s as well; --sum says which one is traced\n", strings.Join(t.Others, ", "))
	}
	t.printSealed(s)
	t.printSources(s)
	if out != "" {
		fmt.Fprintf(s, "\n%s: %s\n", out, show.Count(t.Listed(), "record"))
	} else if err := t.printRecords(s); err != nil {
		return err
	}
	if err := t.printAside(s); err != nil {
		return err
	}
	show.Findings(s, t.Findings)
	show.Proof(s, &t.Proof)
	return nil
}

// printSealed tells the figure as it was sealed, and in the file that was handed out.
func (t *Trace) printSealed(s *show.Screen) {
	if t.Made != nil && t.Made.Amount != nil {
		text := fmt.Sprintf("%s has %s", t.Made.File, t.Made.Amount.Money())
		if t.Known && t.Made.Amount.Cmp(t.Sealed) != 0 {
			text += fmt.Sprintf(", which is not what was sealed: the file was changed by %s",
				t.Made.Amount.Sub(t.Sealed).Money())
		}
		fmt.Fprintln(s, show.FoldedLines(text, s.Width))
	}
	switch {
	case t.Missing:
		t.printMissing(s)
		return
	case !t.Known && t.Entry != nil:
		fmt.Fprintf(s, "block %d of %s keeps no figures by group of it; the records are those that are there now\n",
			t.Entry.Number, t.Entry.Period)
	case !t.Known:
	case len(t.Bridge) == 0 || t.AsSealed:
		fmt.Fprintf(s, "as sealed in block %d of %s\n", t.Entry.Number, t.Entry.Period)
	default:
		t.printBridge(s)
		return
	}
	if t.AsSealed {
		t.printBridge(s)
	}
}

func (t *Trace) printBridge(s *show.Screen) {
	if len(t.Bridge) == 0 {
		return
	}
	printBridge(s, &month.Bridge{Result: "from then to now", Column: t.Sum, Lines: t.Bridge}, t.Entry, shownLines)
}

// printMissing says that the records are not those that were sealed.
func (t *Trace) printMissing(s *show.Screen) {
	if t.Known {
		fmt.Fprintf(s, "block %d of %s has sealed %s\n", t.Entry.Number, t.Entry.Period, t.Sealed.Money())
		t.printBridge(s)
	}
	fmt.Fprintln(s, show.FoldedLines(fmt.Sprintf("the records below are as they are now: block %d has not retained "+
		"those that it has sealed; say retain = true in [close]", t.Entry.Number), s.Width))
}

func (t *Trace) printSources(s *show.Screen) {
	table := show.Table{Columns: []show.Column{{Name: "source", Key: true}, {Name: "records", Right: true},
		{Name: t.Sum, Right: true, Money: true}, {Name: "sealed", Right: true, Money: true}, {Name: "change"}}}
	more, changed := 0, false
	for i := range t.Sources {
		source := &t.Sources[i]
		changed = changed || source.Change != month.Same || t.Known && source.Was.Cmp(source.Amount) != 0
		if i >= shownSources {
			more++
			continue
		}
		change := ""
		if source.Change != month.Same {
			change = string(source.Change)
		}
		table.Add(source.Source, show.Number(source.Records), source.Amount.Money(), source.Was.Money(), change)
	}
	switch {
	case !changed:
		table.Drop("sealed")
		table.Drop("change")
	case t.AsSealed: // where the records above and below are those of then
		table.Columns[1].Name, table.Columns[2].Name = "records now", t.Sum+" now"
	}
	if len(table.Rows) == 0 {
		return
	}
	fmt.Fprintln(s)
	table.Print(s)
	if more > 0 {
		fmt.Fprintf(s, "and %s more\n", show.Number(more))
	}
}

// shownSources is how many sources are listed that give something to a figure.
const shownSources = 20

// printRecords prints the records, with as many of their other columns as the screen has room for.
func (t *Trace) printRecords(s *show.Screen) error {
	if t.Listed() == 0 {
		return nil
	}
	table := show.Table{Columns: []show.Column{{Name: "source", Key: true}, {Name: "line", Right: true, Key: true},
		{Name: t.Sum, Right: true, Key: true}}}
	others := t.others()
	for _, at := range others {
		table.Columns = append(table.Columns, show.Column{Name: t.Columns[at]})
	}
	shown := 0
	err := t.visit(func(source string, r *trace.Record) error {
		cells := []string{source, strconv.Itoa(r.Place.Line()), r.Amount.Money()}
		for _, at := range others {
			cells = append(cells, string(r.Texts[at]))
		}
		table.Add(cells...)
		shown++
		return nil
	})
	fmt.Fprintln(s)
	table.Fit(s.Width)
	table.Print(s)
	if shown < t.Listed() {
		fmt.Fprintf(s, "%s of %s, the largest first; --all shows all\n", show.Number(shown),
			show.Count(t.Listed(), "record"))
	}
	return err
}

// others are the columns of the data that are not said already: neither words nor the amount.
func (t *Trace) others() (columns []int) {
	for i, name := range t.Columns {
		said := name == t.Sum
		for _, w := range t.Words {
			said = said || w.Column == name
		}
		if !said {
			columns = append(columns, i)
		}
	}
	return columns
}

// printAside prints what would be among the records of the figure and is not.
func (t *Trace) printAside(s *show.Screen) error {
	tell := func(a *trace.Aside, what string) {
		if a.Records == 0 {
			return
		}
		text := fmt.Sprintf("%s %s", show.Count(a.Records, "record"), what)
		if read := a.Amount.Amount(); read.Sign() != 0 || a.Unread < a.Records {
			text += fmt.Sprintf(", %s %s", t.Sum, read.Money())
		}
		switch {
		case a.Unread == a.Records:
			text += ", without an amount that can be read"
		case a.Unread > 0:
			text += fmt.Sprintf("; %s of them without an amount that can be read", show.Number(a.Unread))
		}
		fmt.Fprintln(s, text)
	}
	if t.Suspense.Records+t.Dropped.Records+t.Left.Records == 0 {
		return nil
	}
	fmt.Fprintln(s)
	tell(&t.Suspense, "in suspense would belong here")
	tell(&t.Left, "left out by decisions would belong here")
	tell(&t.Dropped, "left out by a condition would belong here")
	table := show.Table{Columns: []show.Column{{Name: "source", Key: true}, {Name: "line", Right: true, Key: true},
		{Name: "state"}, {Name: "record"}}}
	err := t.EachAside(func(r *trace.Record) error {
		table.Add(t.Set.Sources[r.Place.Source()].Name, strconv.Itoa(r.Place.Line()), asideState(r.State), t.line(r))
		return nil
	})
	table.Print(s)
	return err
}

func asideState(state trace.State) string {
	if state == trace.Left {
		return "decided"
	}
	return string(state)
}

// line writes a record in a line.
func (t *Trace) line(r *trace.Record) string {
	if len(r.Raw) > 0 {
		return string(r.Raw)
	}
	var texts []string
	for _, text := range r.Texts {
		if len(text) > 0 {
			texts = append(texts, string(text))
		}
	}
	return strings.Join(texts, " | ")
}

// Write writes the records of the figure to a file, with the source and line of each.
func (t *Trace) Write(w io.Writer, format show.Format, packed string, shield bool) error {
	f := show.RecordFormat{Format: format, Packed: packed, Shield: shield}
	for _, name := range t.Columns {
		cells := show.Cells{Name: name, Kind: record.Text}
		if name == t.Sum {
			cells.Kind, cells.Scale = record.Amount, t.Amount.Scale()
		}
		f.Columns = append(f.Columns, cells)
	}
	f.Columns = append(f.Columns, show.Cells{Name: record.SourceColumn, Kind: record.Text},
		show.Cells{Name: record.LineColumn, Kind: record.Amount})
	kinds := make([]record.Kind, len(f.Columns))
	for i := range f.Columns {
		kinds[i] = f.Columns[i].Kind
	}
	return f.Write(w, func(w io.Writer) error {
		encode, texts := f.Encoder(), make([][]byte, 0, len(f.Columns))
		var room []byte
		return t.Visit(func(source string, r *trace.Record) error {
			texts = append(texts[:0], r.Texts...)
			for i := range r.Texts {
				if kinds[i] == record.Amount {
					texts[i] = []byte(r.Amount.String())
				}
			}
			texts = append(texts, []byte(source),
				strconv.AppendInt(nil, int64(r.Place.Line()), 10))
			room = encode(room[:0], texts, kinds)
			_, err := w.Write(room)
			return err
		})
	})
}

// Document writes its JSON.
func (t *Trace) Document(w io.Writer) error {
	d := show.StartDocument(w, show.NewDocument("trace"))
	d.Add("result", t.Of)
	words := show.Object{}
	for _, word := range t.Words {
		words.Add(word.Column, word.Value)
	}
	d.Add("words", words)
	d.Add("column", t.Sum)
	if t.Known {
		d.Add("block", show.Object{{Name: "number", Value: t.Entry.Number}, {Name: "period", Value: t.Entry.Period},
			{Name: "seal", Value: t.Entry.Seal}})
	}
	d.Add("amount", t.asked().String())
	d.Add("now", t.Now.String())
	d.Add("count", t.Listed())
	sources := []show.Object{}
	for i := range t.Sources {
		source := &t.Sources[i]
		o := show.Object{{Name: "source", Value: source.Source}, {Name: "records", Value: source.Records},
			{Name: "amount", Value: source.Amount.String()}}
		if t.Known {
			o.Add("sealed", source.Was.String())
			o.Add("change", string(source.Change))
		}
		sources = append(sources, o)
	}
	d.Add("sources", sources)
	records, aside := []show.Object{}, []show.Object{}
	err := t.visit(func(source string, r *trace.Record) error {
		records = append(records, t.object(source, r))
		return nil
	})
	if err == nil {
		err = t.EachAside(func(r *trace.Record) error {
			aside = append(aside, t.object(t.Set.Sources[r.Place.Source()].Name, r))
			return nil
		})
	}
	if err != nil {
		return err
	}
	d.Add("as_sealed", t.AsSealed)
	d.Add("records", records)
	d.Add("aside", aside)
	d.Add("bridge", lineObjects(t.Bridge))
	d.Add("findings", t.Findings)
	d.Add("proof", show.ProofObject(&t.Proof))
	return d.Close()
}

// asked is the figure as the named file has it, else as it was sealed, else as it is.
func (t *Trace) asked() amount.Amount {
	switch {
	case t.Made != nil && t.Made.Amount != nil && (!t.Known || t.Made.Amount.Cmp(t.Sealed) != 0):
		return *t.Made.Amount
	case t.Known:
		return t.Sealed
	}
	return t.Amount
}

// object is a record: its place, its amount, what it says in the columns of the words, and all of its texts.
func (t *Trace) object(source string, r *trace.Record) show.Object {
	o := show.Object{{Name: "source", Value: source}, {Name: "line", Value: r.Place.Line()}}
	if r.State != trace.Used {
		o.Add("state", asideState(r.State))
	}
	if len(r.Raw) > 0 {
		o.Add("raw", string(r.Raw))
		return o
	}
	if r.HasAmount {
		o.Add("amount", r.Amount.String())
	}
	for _, w := range t.Words {
		if slices.Contains([]string{"source", "line", "amount", "state", "record"}, w.Column) {
			continue
		}
		o.Add(w.Column, w.Value)
	}
	texts := show.Object{}
	for i, name := range t.Columns {
		texts.Add(name, string(r.Texts[i]))
	}
	o.Add("record", texts)
	return o
}
