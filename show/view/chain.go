package view

import (
	"fmt"
	"time"

	"lastblock/core/month/block"
	"lastblock/show"
)

// History lists blocks; whole shows all that one of them says.
func History(s *show.Screen, folder string, entries []block.Entry, whole bool) {
	if len(entries) == 0 {
		fmt.Fprintf(s, "nothing was closed yet in %s\n", folder)
		return
	}
	t := show.Table{Columns: []show.Column{
		{Name: "block", Right: true, Key: true}, {Name: "period", Key: true, Whole: true}, {Name: "closed", Whole: true},
		{Name: "by"}, {Name: "verdict"}, {Name: "sources", Right: true}, {Name: "rows", Right: true},
		{Name: "totals"}, {Name: "seal", Whole: true},
	}}
	for i := range entries {
		e := &entries[i]
		verdict := string(e.Verdict)
		if e.Restates > 0 {
			verdict += fmt.Sprintf(", restates %d", e.Restates)
		}
		t.Add(fmt.Sprint(e.Number), e.Period, e.Time.Format("2006-01-02 15:04"), e.User, verdict,
			show.Number(len(e.Sources)), show.Number(e.Rows), totalsText(e.Totals), block.Short(e.Seal))
	}
	t.Print(s)
	if whole {
		blockInFull(s, &entries[0])
	}
}

func totalsText(totals []block.Total) string {
	text := ""
	for i, t := range totals {
		if i > 0 {
			text += ", "
		}
		text += t.Column + " " + t.Amount
	}
	return text
}

// blockInFull prints what a block says beside its line.
func blockInFull(s *show.Screen, e *block.Entry) {
	if e.Reason != "" {
		fmt.Fprintf(s, "\n%s\n", e.Reason)
	}
	list := func(title string, rows [][3]string) {
		if len(rows) == 0 {
			return
		}
		t := show.Table{Columns: []show.Column{{Name: title, Key: true}, {Name: "rows", Right: true},
			{Name: "SHA-256", Whole: true}}}
		for _, r := range rows {
			t.Add(r[0], r[1], r[2])
		}
		fmt.Fprintln(s)
		t.Print(s)
	}
	var results, sources, references [][3]string
	for _, r := range e.Results {
		results = append(results, [3]string{r.Name, show.Number(r.Rows), block.Short(r.SHA256)})
	}
	for _, r := range e.Sources {
		sources = append(sources, [3]string{r.Source, show.Number(r.Rows), block.Short(r.SHA256)})
	}
	for _, r := range append([]block.File{e.Plan}, e.References...) {
		references = append(references, [3]string{r.Name, "", block.Short(r.SHA256)})
	}
	list("result", results)
	list("source", sources)
	list("plan and references", references)
	fmt.Fprintf(s, "\nseal %s\n", e.Seal)
}

// HistoryDocument is the JSON of blocks.
func HistoryDocument(entries []block.Entry) show.Object {
	doc := show.NewDocument("history")
	blocks := []show.Object{}
	for i := range entries {
		e := &entries[i]
		o := show.Object{{Name: "number", Value: e.Number}, {Name: "period", Value: e.Period},
			{Name: "time", Value: e.Time.UTC().Format(time.RFC3339)}, {Name: "user", Value: e.User},
			{Name: "verdict", Value: string(e.Verdict)}, {Name: "sources", Value: len(e.Sources)},
			{Name: "rows", Value: e.Rows}, {Name: "totals", Value: totalsObject(e.Totals)}, {Name: "seal", Value: e.Seal}}
		if e.Restates > 0 {
			o.Add("restates", e.Restates)
		}
		if e.Reason != "" {
			o.Add("reason", e.Reason)
		}
		blocks = append(blocks, o)
	}
	doc.Add("blocks", blocks)
	return doc
}

// Touch is something that is not as a block says, beside files. A note is no touch.
type Touch struct {
	What, Text string
	Note       bool
}

// Verification is what verify has found.
type Verification struct {
	Chain  *block.Chain
	Files  []block.Sealed
	Others []Touch
}

// Untouched tells whether all is as it was sealed.
func (v *Verification) Untouched() bool {
	for i := range v.Files {
		if state := v.Files[i].State; state == block.Changed || state == block.Gone {
			return false
		}
	}
	for _, t := range v.Others {
		if !t.Note {
			return false
		}
	}
	return true
}

// Print prints it.
func (v *Verification) Print(s *show.Screen) {
	if len(v.Chain.Entries) == 0 {
		fmt.Fprintf(s, "nothing was closed yet in %s\n", v.Chain.Folder)
		return
	}
	counts := make(map[block.State]int)
	t := show.Table{Columns: []show.Column{{Name: "file", Key: true}, {Name: "is"}, {Name: "state", Whole: true},
		{Name: "sealed by", Whole: true}}}
	for i := range v.Files {
		f := &v.Files[i]
		if counts[f.State]++; f.State == block.Changed || f.State == block.Gone {
			t.Add(f.Name, string(f.Role), string(f.State), fmt.Sprintf("block %d of %s", f.Number, f.Period))
		}
	}
	if len(t.Rows) > 0 {
		t.Print(s)
		fmt.Fprintln(s)
	}
	for _, touch := range v.Others {
		fmt.Fprintf(s, "%s: %s\n", touch.What, touch.Text)
	}
	fmt.Fprintf(s, "%s: the chain is whole; of %s %s untouched, %s superseded\n", show.Count(len(v.Chain.Entries), "block"),
		show.Count(len(v.Files), "sealed file"), show.Number(counts[block.Untouched]), show.Number(counts[block.Superseded]))
	word := "untouched"
	if !v.Untouched() {
		word = "touched"
	}
	fmt.Fprintf(s, "%s\n", s.Bold(word+", newest seal "+block.Short(v.Chain.Last().Seal)))
}

// Document is its JSON.
func (v *Verification) Document() show.Object {
	doc := show.NewDocument("verify")
	doc.Add("untouched", v.Untouched())
	blocks, files, others := []show.Object{}, map[bool][]show.Object{true: {}, false: {}}, []show.Object{}
	for i := range v.Chain.Entries {
		e := &v.Chain.Entries[i]
		blocks = append(blocks, show.Object{{Name: "number", Value: e.Number}, {Name: "period", Value: e.Period},
			{Name: "chain", Value: "whole"}, {Name: "seal", Value: e.Seal}})
	}
	for i := range v.Files {
		f := &v.Files[i]
		isSource := f.Role == block.OfSource || f.Role == block.OfReference
		files[isSource] = append(files[isSource], show.Object{{Name: "name", Value: f.Name},
			{Name: "role", Value: string(f.Role)}, {Name: "state", Value: string(f.State)},
			{Name: "block", Value: f.Number}, {Name: "period", Value: f.Period}})
	}
	for _, touch := range v.Others {
		others = append(others, show.Object{{Name: "what", Value: touch.What}, {Name: "text", Value: touch.Text},
			{Name: "note", Value: touch.Note}})
	}
	doc.Add("blocks", blocks)
	doc.Add("results", files[false])
	doc.Add("sources", files[true])
	doc.Add("others", others)
	return doc
}
