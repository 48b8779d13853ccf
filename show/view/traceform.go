package view

import (
	"fmt"
	"io"

	"lastblock/core/month"
	"lastblock/core/record"
	"lastblock/core/value/amount"
	"lastblock/show"
)

// TraceForm is where a figure of a grid comes from.
type TraceForm struct {
	*month.TracedForm
	AsSealed bool           // the figure is wanted as the block has sealed it
	File     string         // that was handed out and has the figure; "" for none
	InFile   *amount.Amount // as the file has it; nil where it has no such figure
	Most     int            // how many forms are listed; 0 for all
}

// gave is how many forms gave something.
func (t *TraceForm) gave() (n int) {
	for i := range t.Was {
		if t.AsSealed && t.Was[i].Was.Sign() != 0 {
			n++
		}
	}
	for i := range t.Answers {
		if t.Answers[i].Gave && !t.AsSealed {
			n++
		}
	}
	return n
}

// Print prints it. out is the file that has what the forms gave, "" for none.
func (t *TraceForm) Print(s *show.Screen, out string) {
	value := t.Amount
	if t.AsSealed {
		value = t.Sealed
	}
	title := fmt.Sprintf("%s, %s in %s: %s, from %s", t.Row, t.Column, t.Of, value.Money(),
		show.Count(t.gave(), "form"))
	fmt.Fprintln(s, s.Bold(show.FoldedLines(title, s.Width)))
	if t.InFile != nil {
		text := fmt.Sprintf("%s has %s", t.File, t.InFile.Money())
		if t.Known && t.InFile.Cmp(t.Sealed) != 0 {
			text += fmt.Sprintf(", which is not what was sealed: the file was changed by %s",
				t.InFile.Sub(t.Sealed).Money())
		}
		fmt.Fprintln(s, show.FoldedLines(text, s.Width))
	}
	if t.Known && (len(t.Bridge) == 0 || t.AsSealed) {
		fmt.Fprintf(s, "as sealed in block %d of %s\n", t.Entry.Number, t.Entry.Period)
	}
	if len(t.Bridge) > 0 {
		printBridge(s, &month.Bridge{Result: "from then to now", Column: month.GridValue, Lines: t.Bridge}, t.Entry,
			shownLines)
	}
	if out != "" {
		fmt.Fprintf(s, "\n%s has what each form gave\n", out)
		return
	}
	t.printForms(s)
}

func (t *TraceForm) printForms(s *show.Screen) {
	table := show.Table{Columns: []show.Column{{Name: "form", Key: true}, {Name: "cell", Whole: true},
		{Name: month.GridValue, Right: true, Money: true}}}
	total, more := 0, 0
	if t.AsSealed {
		table.Drop("cell")
		for i := range t.Was {
			if t.Was[i].Was.Sign() == 0 {
				continue
			}
			if total++; t.Most > 0 && total > t.Most {
				more++
				continue
			}
			table.Add(t.Was[i].Source, t.Was[i].Was.Money())
		}
	}
	var others [][2]string
	for i := range t.Answers {
		a := &t.Answers[i]
		name := t.Set.Sources[a.Source].Name
		switch {
		case t.AsSealed:
		case !a.Gave:
			why := a.Why
			if a.At != "" {
				why = a.At + ": " + why
			}
			others = append(others, [2]string{name, why})
		default:
			if total++; t.Most > 0 && total > t.Most {
				more++
				continue
			}
			table.Add(name, a.At, a.Amount.Money())
		}
	}
	if len(table.Rows) > 0 {
		fmt.Fprintln(s)
		table.Print(s)
	}
	if more > 0 {
		fmt.Fprintf(s, "and %s more; --all shows all\n", show.Number(more))
	}
	printOthers(s, others)
}

// printOthers prints the forms that gave nothing, and why.
func printOthers(s *show.Screen, others [][2]string) {
	if len(others) == 0 {
		return
	}
	t := show.Table{Columns: []show.Column{{Name: "gave nothing", Key: true}, {Name: "why"}}}
	for i, other := range others {
		if i == shownSources {
			break
		}
		t.Add(other[0], other[1])
	}
	fmt.Fprintln(s)
	t.Print(s)
	if more := len(others) - shownSources; more > 0 {
		fmt.Fprintf(s, "and %s more\n", show.Number(more))
	}
}

// Write writes what each form gave in a format, compressed if that is asked for.
func (t *TraceForm) Write(w io.Writer, format show.Format, packed string, shield bool) error {
	scale := 0
	for i := range t.Answers {
		scale = max(scale, t.Answers[i].Amount.Scale())
	}
	f := &show.RecordFormat{Format: format, Packed: packed, Shield: shield, Columns: []show.Cells{
		{Name: "source", Kind: record.Text}, {Name: "sheet", Kind: record.Text}, {Name: "cell", Kind: record.Text},
		{Name: month.GridValue, Kind: record.Amount, Scale: scale}}}
	return writeRecords(w, f, kindsOf(f.Columns), func(visit func(cells []string) error) error {
		for i := range t.Answers {
			a := &t.Answers[i]
			if of := &t.Set.Sources[a.Source]; a.Gave {
				if err := visit([]string{of.Name, of.Sheet(), a.At, a.Amount.String()}); err != nil {
					return err
				}
			}
		}
		return nil
	})
}

// Document writes its JSON.
func (t *TraceForm) Document(w io.Writer) error {
	d := show.StartDocument(w, show.NewDocument("trace"))
	d.Add("result", t.Of)
	d.Add("row", t.Row)
	d.Add("column", t.Column)
	d.Add("cell", t.Cell)
	d.Add("value", t.Amount.String())
	if t.Known {
		d.Add("sealed", show.Object{{Name: "number", Value: t.Entry.Number}, {Name: "period", Value: t.Entry.Period},
			{Name: "value", Value: t.Sealed.String()}})
	}
	if t.File != "" && t.InFile != nil {
		d.Add("handed", show.Object{{Name: "file", Value: t.File}, {Name: "value", Value: t.InFile.String()}})
	}
	from, others := []show.Object{}, []show.Object{}
	for i := range t.Answers {
		a := &t.Answers[i]
		o := show.Object{{Name: "source", Value: t.Set.Sources[a.Source].Name}}
		if sheet := t.Set.Sources[a.Source].Sheet(); sheet != "" {
			o.Add("sheet", sheet)
		}
		if a.At != "" {
			o.Add("cell", a.At)
		}
		if a.Gave {
			o.Add("value", a.Amount.String())
			from = append(from, o)
		} else {
			o.Add("why", a.Why)
			others = append(others, o)
		}
	}
	d.Add("from", from)
	d.Add("gave_nothing", others)
	d.Add("bridge", lineObjects(t.Bridge))
	return d.Close()
}
