package view

import (
	"fmt"
	"strings"
	"time"

	"lastblock/core/month/block"
	"lastblock/show"
)

// History lists blocks, those that restate beneath what they restate; whole shows all that the only one of them says,
// with its sources.
func History(s *show.Screen, folder string, entries []block.Entry) {
	if len(entries) == 0 {
		fmt.Fprintf(s, "nothing was closed yet in %s\n", folder)
		return
	}
	t := show.Table{Columns: []show.Column{
		{Name: "block", Right: true, Key: true}, {Name: "period", Key: true, Whole: true},
		{Name: "closed", Whole: true},
		{Name: "by"}, {Name: "verdict"}, {Name: "sources", Right: true}, {Name: "rows", Right: true},
		{Name: "totals"}, {Name: "seal", Whole: true},
	}}
	for _, e := range beneath(entries) {
		verdict := string(e.Verdict)
		if e.Restates > 0 {
			verdict += fmt.Sprintf(", restates %d", e.Restates)
		}
		t.Add(fmt.Sprint(e.Number), e.Period, e.Time.Format("2006-01-02 15:04"), e.User, verdict,
			show.Number(e.SourceCount), show.Number(e.Rows), totalsText(e.Totals), block.Short(e.Seal))
	}
	t.Print(s)
}

// beneath puts those that restate beneath what they restate.
func beneath(entries []block.Entry) (ordered []*block.Entry) {
	restating := make(map[int][]*block.Entry)
	there := make(map[int]bool)
	for i := range entries {
		there[entries[i].Number] = true
	}
	for i := range entries {
		if e := &entries[i]; there[e.Restates] {
			restating[e.Restates] = append(restating[e.Restates], e)
		}
	}
	var add func(e *block.Entry)
	add = func(e *block.Entry) {
		ordered = append(ordered, e)
		for _, next := range restating[e.Number] {
			add(next)
		}
	}
	for i := range entries {
		if e := &entries[i]; !there[e.Restates] {
			add(e)
		}
	}
	return ordered
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

// BlockInFull prints what a block says beside its line.
func BlockInFull(s *show.Screen, e *block.Entry, sources []block.Source) {
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
	var results, read, references [][3]string
	for _, r := range e.Results {
		rows := show.Number(r.Rows)
		if r.As != "" {
			rows = ""
		}
		results = append(results, [3]string{r.Name, rows, block.Short(r.SHA256)})
	}
	for _, r := range sources {
		read = append(read, [3]string{r.Source, show.Number(r.Rows), block.Short(r.SHA256)})
	}
	references = append(references, [3]string{e.Plan.Name, "", block.Short(e.Plan.SHA256)})
	for _, r := range e.References {
		references = append(references, [3]string{r.Name, "", block.Short(r.SHA256)})
	}
	list("result", results)
	list("source", read)
	list("plan and references", references)
	t := show.Table{Columns: []show.Column{{Name: "severity", Key: true}, {Name: "finding"}, {Name: "source"},
		{Name: "decided"}}}
	for _, f := range e.Findings {
		t.Add(f.Severity, f.Kind, f.Source, f.Decision)
	}
	if len(t.Rows) > 0 {
		fmt.Fprintln(s)
		t.Print(s)
	}
	p := e.Proof
	fmt.Fprintf(s, "\nrecords  read %s = used %s + suspense %s + dropped %s\n", show.Number(p.Read),
		show.Number(p.Used),
		show.Number(p.Suspense), show.Number(p.Dropped))
	fmt.Fprintf(s, "seal %s\n", e.Seal)
}

// HistoryDocument is the JSON of blocks; sources are those of the only one of them, nil where they are
// not asked for.
func HistoryDocument(entries []block.Entry, sources []block.Source) show.Object {
	doc := show.NewDocument("history")
	blocks := []show.Object{}
	for i := range entries {
		o := blockObject(&entries[i])
		if sources != nil {
			whole := entries[i].Block
			whole.Sources = sources
			if whole.Earlier == nil {
				whole.Earlier = []block.Earlier{}
			}
			o.Add("sealed", whole)
		}
		blocks = append(blocks, o)
	}
	doc.Add("blocks", blocks)
	return doc
}

func blockObject(e *block.Entry) show.Object {
	o := show.Object{{Name: "number", Value: e.Number}, {Name: "period", Value: e.Period},
		{Name: "time", Value: e.Time.UTC().Format(time.RFC3339)}, {Name: "user", Value: e.User},
		{Name: "verdict", Value: string(e.Verdict)}, {Name: "sources", Value: e.SourceCount},
		{Name: "rows", Value: e.Rows}, {Name: "totals", Value: totalsObject(e.Totals)}, {Name: "seal", Value: e.Seal}}
	if e.Restates > 0 {
		o.Add("restates", e.Restates)
	}
	if e.Reason != "" {
		o.Add("reason", e.Reason)
	}
	return o
}

// shownMade is how many sources that made a change are listed beneath a figure.
const shownMade = 4

// Course prints a figure from block to block, and beneath each change the sources that made it; these foot.
func Course(s *show.Screen, points []block.Point) {
	t := show.Table{Columns: []show.Column{{Name: "block", Right: true, Key: true},
		{Name: "period", Key: true, Whole: true}, {Name: "records", Right: true},
		{Name: points[0].Column, Right: true, Whole: true, Money: true},
		{Name: "change", Right: true, Whole: true, Money: true}, {Name: againstColumn, Right: true},
		{Name: "made by"}}}
	inOrder := true // each is compared with the one above it
	for i := range points {
		p := &points[i]
		t.Add(fmt.Sprint(p.Entry.Number), p.Entry.Period, show.Number(p.Rows), p.Amount.Money(), p.Change.Money(),
			against(p), "")
		inOrder = inOrder && (i == 0 || p.Since == points[i-1].Entry)
		left := p.Change
		for k := range p.Made {
			if k == shownMade && len(p.Made) > shownMade+1 {
				break
			}
			change := p.Made[k].Change()
			left = left.Sub(change)
			t.Add("", "", "", "", change.Money(), "", p.Made[k].Source)
		}
		if text := restOfMade(p); text != "" {
			t.Add("", "", "", "", left.Money(), "", text)
		}
	}
	if inOrder {
		t.Drop(againstColumn)
	}
	t.Print(s)
}

// againstColumn says with which block a figure is compared: the one that it restates, else that of the last period.
const againstColumn = "against block"

func against(p *block.Point) string {
	if p.Since == nil {
		return ""
	}
	return fmt.Sprint(p.Since.Number)
}

// restOfMade says what made the rest of a change, "" where all is listed.
func restOfMade(p *block.Point) string {
	var parts []string
	if n := len(p.Made); n > shownMade+1 {
		parts = append(parts, show.Number(n-shownMade)+" more")
	}
	if p.Unknown > 0 && p.Change.Sign() != 0 {
		parts = append(parts, show.Count(p.Unknown, "source")+" whose groups are not kept")
	}
	return strings.Join(parts, ", and ")
}

// sinceOf is the number of the block that a figure is compared with, 0 for none.
func sinceOf(p *block.Point) int {
	if p.Since == nil {
		return 0
	}
	return p.Since.Number
}

// CourseDocument is its JSON.
func CourseDocument(points []block.Point) show.Object {
	doc := show.NewDocument("history")
	blocks := []show.Object{}
	for i := range points {
		p := &points[i]
		made := []show.Object{}
		for k := range p.Made {
			m := &p.Made[k]
			made = append(made, show.Object{{Name: "source", Value: m.Source}, {Name: "was", Value: m.Was.String()},
				{Name: "is", Value: m.Is.String()}, {Name: "change", Value: m.Change().String()}})
		}
		o := blockObject(p.Entry)
		o.Add("figure", show.Object{{Name: "column", Value: p.Column}, {Name: "records", Value: p.Rows},
			{Name: "amount", Value: p.Amount.String()}, {Name: "change", Value: p.Change.String()},
			{Name: "since", Value: sinceOf(p)},
			{Name: "sources", Value: made}, {Name: "unknown", Value: p.Unknown}})
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
	Broken *block.BrokenError // nil where the chain is whole
	Files  []block.Sealed
	Losses []block.Loss
	Others []Touch
	Noted  bool // the newest block was held against a seal that was noted elsewhere
}

// Untouched tells whether all is as it was sealed.
func (v *Verification) Untouched() bool {
	if v.Broken != nil {
		return false
	}
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
	if v.Broken != nil {
		fmt.Fprintf(s, "%s\n%s\n", v.Broken, s.Bold("touched"))
		return
	}
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
			for _, part := range f.Parts {
				t.Add("  "+part, "", string(block.Changed), "")
			}
		}
	}
	if len(t.Rows) > 0 {
		t.Print(s)
		fmt.Fprintln(s)
	}
	for i := range v.Losses {
		fmt.Fprintln(s, show.FoldedLines(lossText(&v.Losses[i]), s.Width))
	}
	for _, touch := range v.Others {
		fmt.Fprintln(s, show.FoldedLines(touch.What+": "+touch.Text, s.Width))
	}
	fmt.Fprintf(s, "%s: the chain is whole; of %s %s untouched, %s superseded",
		show.Count(len(v.Chain.Entries), "block"),
		show.Count(len(v.Files), "sealed file"), show.Number(counts[block.Untouched]),
		show.Number(counts[block.Superseded]))
	if n := counts[block.Unknown]; n > 0 {
		fmt.Fprintf(s, ", %s not asked for again", show.Number(n))
	}
	fmt.Fprintln(s)
	word := "untouched"
	if !v.Untouched() {
		word = "touched"
	}
	text := word + ", newest seal " + block.Short(v.Chain.Last().Seal)
	if !v.Noted { // the newest blocks may be missing, which a chain cannot tell by itself
		text += ", held against no seal noted elsewhere"
	}
	fmt.Fprintf(s, "%s\n", s.Bold(text))
}

// lossText says what cannot be shown any more, and what holds all the same.
func lossText(l *block.Loss) string {
	of := show.Count(l.Sources, "source")
	what := map[block.Role]string{block.OfFigures: "what " + of + " gave to each figure",
		block.OfRecords: "the records of " + of, block.OfPack: "what the checks came to"}[l.Role]
	blocks := fmt.Sprintf("block %d", l.Blocks[0])
	if n := len(l.Blocks); n > 1 {
		blocks = fmt.Sprintf("%d blocks from %d to %d", n, l.Blocks[0], l.Blocks[n-1])
	}
	return fmt.Sprintf("%s cannot show %s without %s; put it back from a copy. Seals, totals, results and sources are "+
		"proved without it", blocks, what, l.Name)
}

// Document is its JSON.
func (v *Verification) Document() show.Object {
	doc := show.NewDocument("verify")
	doc.Add("untouched", v.Untouched())
	doc.Add("noted", v.Noted)
	blocks, files, others := []show.Object{}, map[bool][]show.Object{true: {}, false: {}}, []show.Object{}
	for i := range v.Chain.Entries {
		e := &v.Chain.Entries[i]
		blocks = append(blocks, show.Object{{Name: "number", Value: e.Number}, {Name: "period", Value: e.Period},
			{Name: "chain", Value: "whole"}, {Name: "seal", Value: e.Seal}})
	}
	if v.Broken != nil {
		blocks = append(blocks, show.Object{{Name: "number", Value: v.Broken.Number}, {Name: "chain", Value: "broken"},
			{Name: "text", Value: v.Broken.Text}})
	}
	for i := range v.Files {
		f := &v.Files[i]
		isSource := f.Role == block.OfSource || f.Role == block.OfReference
		o := show.Object{{Name: "name", Value: f.Name},
			{Name: "role", Value: string(f.Role)}, {Name: "state", Value: string(f.State)},
			{Name: "block", Value: f.Number}, {Name: "period", Value: f.Period}}
		if f.Query != "" {
			o.Add("query", f.Query)
		}
		if len(f.Parts) > 0 {
			o.Add("parts", f.Parts)
		}
		files[isSource] = append(files[isSource], o)
	}
	losses := []show.Object{}
	for i := range v.Losses {
		l := &v.Losses[i]
		losses = append(losses, show.Object{{Name: "name", Value: l.Name}, {Name: "role", Value: string(l.Role)},
			{Name: "block", Value: l.In}, {Name: "blocks", Value: l.Blocks}, {Name: "sources", Value: l.Sources},
			{Name: "text", Value: lossText(l)}})
	}
	for _, touch := range v.Others {
		others = append(others, show.Object{{Name: "what", Value: touch.What}, {Name: "text", Value: touch.Text},
			{Name: "note", Value: touch.Note}})
	}
	doc.Add("blocks", blocks)
	doc.Add("results", files[false])
	doc.Add("sources", files[true])
	doc.Add("losses", losses)
	doc.Add("others", others)
	return doc
}
