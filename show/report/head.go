package report

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"lastblock/core/finding"
	"lastblock/core/month/block"
	"lastblock/core/month/pack"
	"lastblock/core/value/natural"
	"lastblock/show"
)

// periods are those of the sources, in order.
func (d *draft) periods() (all []string) {
	for i := range d.Sources {
		if p := d.Sources[i].Period; p != "" && !slices.Contains(all, p) {
			all = append(all, p)
		}
	}
	slices.SortFunc(all, natural.Compare)
	return all
}

// head says what the report is about.
func (d *draft) head(doc *Document) {
	doc.Title = "Month end " + d.Period
	if d.Entity != "" {
		doc.Title += " of " + d.Entity
	}
	doc.Passed = d.Verdict == block.Passed
	doc.Verdict = d.verdict()
	if d.State == pack.Rehearsed {
		doc.Unsealed = "Not sealed. This is a rehearsal of the close: figures can change until it is closed."
	}
	fact := func(name, text string) {
		if text != "" {
			doc.Facts = append(doc.Facts, Fact{Name: name, Text: text})
		}
	}
	fact("Period", d.Period)
	by, number := "Closed by", fmt.Sprintf("block %d", d.Number)
	if d.State == pack.Rehearsed {
		by, number = "Rehearsed by", fmt.Sprintf("none; it would be block %d", d.Number)
	}
	fact(by, fmt.Sprintf("%s, %s UTC", d.User, d.Time.UTC().Format("2006-01-02 15:04")))
	fact("Block", number)
	if d.Restates > 0 {
		fact("Restates", fmt.Sprintf("block %d", d.Restates))
	}
	if d.State != pack.Rehearsed {
		fact("Reason", d.Reason)
	}
	switch d.State {
	case pack.Sealed:
		doc.Facts = append(doc.Facts, Fact{"Seal", d.Seal, true})
	case pack.Closing:
		fact("Seal", "this file is sealed with the block; lastblock verify holds it against its seal")
	}
	if d.Previous != nil {
		doc.Facts = append(doc.Facts, Fact{fmt.Sprintf("Seal of block %d, before it", d.Previous.Number),
			d.Previous.Seal, true})
	}
}

// verdict says in one sentence what all checks have come to.
func (d *draft) verdict() string {
	records := fmt.Sprintf("%s of %s", show.Count(d.Proof.Used, "record"), show.Count(d.recordSources(), "source"))
	verb := "were counted"
	if out := d.Proof.Suspense + d.Proof.Dropped; out > 0 {
		verb = fmt.Sprintf("were counted, %s others were not", show.Number(out))
	}
	stops, reviews := d.open()
	what, review := d.Period, ""
	if d.Entity != "" {
		what = d.Entity + ", " + d.Period + ","
	}
	if reviews > 0 {
		review = fmt.Sprintf("; %s left to look at", show.Count(reviews, "finding"))
	}
	if len(stops) == 0 {
		return fmt.Sprintf("%s has passed: %s %s, each is accounted for, and nothing stops it%s.", what, records,
			verb, review)
	}
	kinds := make(map[string]int)
	var names []string
	for _, f := range stops {
		if kinds[string(f.Kind)]++; kinds[string(f.Kind)] == 1 {
			names = append(names, string(f.Kind))
		}
	}
	slices.SortStableFunc(names, func(a, b string) int { return cmp.Compare(kinds[b], kinds[a]) })
	const most = 4
	var said []string
	for _, name := range names[:min(most, len(names))] {
		said = append(said, fmt.Sprintf("%s %s", show.Number(kinds[name]), name))
	}
	if len(names) > most {
		said = append(said, fmt.Sprintf("%s more", show.Count(len(names)-most, "kind")))
	}
	stop := "findings stop"
	if len(stops) == 1 {
		stop = "finding stops"
	}
	return fmt.Sprintf("%s has failed: %s %s it (%s); %s %s%s.", what, show.Number(len(stops)), stop,
		strings.Join(said, ", "), records, verb, review)
}

// recordSources is how many sources of records there are, without forms.
func (d *draft) recordSources() (n int) {
	for i := range d.Sources {
		if d.Sources[i].Of == "" {
			n++
		}
	}
	return n
}

// open are the findings that stop and about which nothing was decided, and how many others are to be looked at.
func (d *draft) open() (stops []pack.Finding, reviews int) {
	for _, f := range d.Report.Findings {
		switch {
		case f.Stops():
			stops = append(stops, f)
		case f.Severity == finding.Review && f.Accepted == "":
			reviews++
		}
	}
	return stops, reviews
}
