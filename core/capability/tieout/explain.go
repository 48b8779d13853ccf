package tieout

import (
	"context"
	"fmt"
	"slices"
	"strconv"

	"lastblock/core/source"
	"lastblock/core/tally"
	"lastblock/core/value/amount"

	"github.com/zeebo/xxh3"
)

// hint is what may be the reason for a difference: a record whose amount is the
// difference, as one that came twice or not at all on the other side has, or
// half of it, as one that stands on the wrong side has.
type hint struct {
	whole, half []int  // lines, the first ones
	records     uint64 // fingerprint of the records of the document, whatever their order
}

const hintLines = 3

// text is what a message says about the reason, "" where there is no hint.
func (h *hint) text(off amount.Amount) string {
	switch {
	case len(h.whole) > 0:
		return fmt.Sprintf("; the amount on %s is the difference: one side of it may be missing, or be there twice",
			lines(h.whole))
	case len(h.half) > 0:
		return fmt.Sprintf("; the amount on %s is half of the difference, so it may stand on the wrong side",
			lines(h.half))
	case off.DivisibleByNine():
		return "; the difference is a multiple of nine, probably two digits transposed"
	}
	return ""
}

func lines(lines []int) string {
	var texts []string
	for _, line := range lines {
		texts = append(texts, strconv.Itoa(line))
	}
	if len(texts) == 1 {
		return "line " + texts[0]
	}
	return "lines " + listed(texts, len(texts))
}

// explain reads the sources with differences once more, and looks for records
// that may be the reason. What comes from a pipe cannot be read again.
func (c *Balance) explain(ctx context.Context, r *run, found []imbalance) error {
	bySource := make(map[int]map[string]*imbalance) // and by document, "" being the source's own
	var indices []int
	for i := range found {
		index := found[i].source
		if r.set.Sources[index].Size < 0 {
			continue
		}
		if bySource[index] == nil {
			bySource[index] = make(map[string]*imbalance)
			indices = append(indices, index)
		}
		bySource[index][found[i].mapKey()] = &found[i]
	}
	if len(indices) == 0 {
		return nil
	}
	slices.Sort(indices)
	set := r.set.Subset(indices)
	reading := r.reading
	reading.Progress, reading.OwnOutputs, reading.Partial = nil, true, true
	t := tally.New(set, tally.Options{Amounts: r.amounts, Optional: r.amounts})
	var visitors []*explainer
	err := set.Scan(ctx, reading, func() source.Visitor {
		v := &explainer{tally: t.Visitor(), sides: c.sides(r), by: column{name: c.By}, indices: indices,
			wanted: bySource, hints: make(map[*imbalance]*hint)}
		visitors = append(visitors, v)
		return v
	})
	if err != nil {
		return err
	}
	for _, v := range visitors {
		for i, h := range v.hints {
			i.hint.records += h.records
			i.hint.whole, i.hint.half = firstLines(i.hint.whole, h.whole), firstLines(i.hint.half, h.half)
		}
	}
	return nil
}

// firstLines are the first ones of two lists of lines.
func firstLines(a, b []int) []int {
	all := append(a, b...)
	slices.Sort(all)
	return all[:min(len(all), hintLines)]
}

func (i *imbalance) mapKey() string {
	if i.isKey {
		return "=" + i.key
	}
	return ""
}

type explainer struct {
	tally   *tally.Visitor
	sides   balanceSides
	by      column
	indices []int // of the whole set, by those of the subset
	wanted  map[int]map[string]*imbalance
	hints   map[*imbalance]*hint
	text    []byte
	key     []byte
}

func (v *explainer) Batch(b *source.Batch) error {
	if err := v.tally.Batch(b); err != nil {
		return err
	}
	wanted := v.wanted[v.indices[b.Index]]
	whole := wanted[""]
	at := -1
	if v.by.name != "" {
		at = v.by.in(b)
	}
	for i := range v.tally.Usable(b) {
		row := v.tally.Row(i)
		var sum amount.Sum
		v.sides.addTo(&sum, v.tally, i)
		net := sum.Amount()
		if whole != nil {
			v.look(whole, net, b.Line(row))
		}
		if at < 0 {
			continue
		}
		v.key = append(append(v.key[:0], '='), b.Text(row, at, &v.text)...)
		if document := wanted[string(v.key)]; document != nil {
			v.hint(document).records += xxh3.Hash(b.Raw(row))
			v.look(document, net, b.Line(row))
		}
	}
	return nil
}

// hint is what was found out about a difference so far.
func (v *explainer) hint(i *imbalance) *hint {
	h := v.hints[i]
	if h == nil {
		h = new(hint)
		v.hints[i] = h
	}
	return h
}

// look compares a record's amount with a difference, signs aside.
func (v *explainer) look(i *imbalance, net amount.Amount, line int) {
	same := func(a amount.Amount) bool { return a.Cmp(i.off) == 0 || a.Neg().Cmp(i.off) == 0 }
	switch {
	case net.Sign() == 0:
	case same(net):
		h := v.hint(i)
		h.whole = firstLines(h.whole, []int{line})
	case same(net.Add(net)):
		h := v.hint(i)
		h.half = firstLines(h.half, []int{line})
	}
}

func (v *explainer) Flush(ctx context.Context, task int) error { return v.tally.Flush(ctx, task) }
