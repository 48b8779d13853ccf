package source

import (
	"context"
	"maps"
	"slices"
	"sync"

	"lastblock/core/record"
	"lastblock/core/source/shape"
	"lastblock/core/value/natural"
)

// Narrowed is a set as one part of a run sees it: with columns that are computed, and records that
// are left out by a condition, for this part alone. What is read, and how, is the same for all parts
// of a run; the part is prepared with Set, and takes part in a ScanFor of the whole set by Member.
type Narrowed struct {
	Set *Set

	whole   *Set
	request *shape.Request

	mutex  sync.Mutex // guards what follows
	shapes map[headOf]*shape.Shape
	missed map[string]bool // names that expressions asked for in vain
}

// Narrow makes a narrowed set. The set must have been looked at; the request computes columns, drops
// some, and has a condition, but renames nothing and reads nothing as another kind.
func (s *Set) Narrow(request *shape.Request) *Narrowed {
	n := &Narrowed{
		whole: s, request: request, shapes: make(map[headOf]*shape.Shape), missed: make(map[string]bool),
	}
	narrowed := *s
	narrowed.narrowed = request
	narrowed.looked, narrowed.needed, narrowed.kept = slices.Clone(s.looked), nil, nil
	for i := range narrowed.looked {
		narrowed.looked[i] = look{head: n.shape(i, s.looked[i].head).Head, start: s.looked[i].start,
			same: s.looked[i].same} // what is kept is for the whole set
	}
	n.Set = &narrowed
	return n
}

// visitors has visitors be given batches in their narrower shape.
func (n *Narrowed) visitors(visit func() Visitor) func() Visitor {
	return func() Visitor { return &narrowedVisitor{Visitor: visit(), narrowed: n} }
}

// narrowAll is the narrowing of a subset of a narrowed set.
func (s *Set) narrowAll() *Narrowed {
	whole := *s
	whole.narrowing = nil
	return &Narrowed{whole: &whole, request: s.narrowing, shapes: make(map[headOf]*shape.Shape),
		missed: make(map[string]bool)}
}

// shape is the narrower shape of a source with a head.
func (n *Narrowed) shape(index int, head *record.Head) *shape.Shape {
	base := n.whole.Sources[index].manner().Shape
	n.mutex.Lock()
	defer n.mutex.Unlock()
	s := n.shapes[headOf{head, base}]
	if s == nil {
		s = n.request.Over(base).For(head)
		n.shapes[headOf{head, base}] = s
	}
	return s
}

// headOf is a head of sources that are all read in one form.
type headOf struct {
	head *record.Head
	base *shape.Request
}

// Member is a part of a run that was prepared with the narrowed set, for ScanFor of the whole one.
func (n *Narrowed) Member(m Member) Member { return &narrowedMember{m, n} }

type narrowedMember struct {
	Member
	narrowed *Narrowed
}

func (m *narrowedMember) Visitor() Visitor {
	return &narrowedVisitor{Visitor: m.Member.Visitor(), narrowed: m.narrowed}
}

// begin has the whole set need what the part needs, its expressions included.
func (n *Narrowed) begin() {
	n.whole.Need(n.Set.needed...)
	for _, made := range n.request.Make {
		n.whole.Need(made.Expression.Columns...)
	}
	if n.request.Where != nil {
		n.whole.Need(n.request.Where.Columns...)
	}
}

// settle tells the part what reading has found out about the sources.
func (n *Narrowed) settle() {
	n.Set.aside, n.Set.starts, n.Set.totals = n.whole.aside, n.whole.starts, n.whole.totals
	n.Set.PassedOver = n.whole.PassedOver
}

// end tells the part what reading has found out about the sources. The error is about a name in an
// expression that no source has.
func (n *Narrowed) end() error {
	n.settle()
	f := &feed{set: n.Set, missed: n.missed}
	var all []asked
	have := make(map[string]bool)
	for of, s := range n.shapes {
		if s.Head.Empty {
			continue
		}
		all = append(all, asked{n.request.Over(of.base), s})
		for _, name := range s.SentColumns() {
			have[name] = true
		}
	}
	if len(all) == 0 {
		return nil
	}
	return f.checkRequest(n.request, all, slices.SortedFunc(maps.Keys(have), natural.Compare))
}

// narrowedVisitor gives batches their narrower shape, and hands them on.
type narrowedVisitor struct {
	Visitor
	narrowed *Narrowed
	worker   shape.Worker

	index     int // of the source, plus one
	head      *record.Head
	shape     *shape.Shape
	constants map[string][]byte
}

func (v *narrowedVisitor) Batch(b *Batch) error {
	n := v.narrowed
	if v.index != b.Index+1 || v.head != b.Head {
		v.index, v.head, v.shape = b.Index+1, b.Head, n.shape(b.Index, b.Head)
		v.constants = n.whole.constants(b.Index, v.shape.Constants())
	}
	if v.shape.IsNothing() {
		return v.Visitor.Batch(b)
	}
	own := *b
	own.Own()
	own.before = b
	if own.sent == nil {
		own.KeepRanks() // else they lead to the records as they were sent
	}
	own.parsed, own.Refused = nil, slices.Clip(own.Refused) // amounts of other columns, and room of others
	missed, blanked := b.Missed, b.Blanked
	v.worker.Apply(v.shape, &own.Stretch.Batch, b.Written.Writing, v.constants)
	n.note(own.Missed)
	own.Missed, own.Blanked = slices.Concat(missed, own.Missed), slices.Concat(blanked, own.Blanked)
	own.Head = v.shape.Head
	return v.Visitor.Batch(&own)
}

func (v *narrowedVisitor) Part(ctx context.Context, task int) error {
	if parter, ok := v.Visitor.(Parter); ok {
		return parter.Part(ctx, task)
	}
	return nil
}

// note notes for which columns expressions have asked in vain.
func (n *Narrowed) note(missed []record.Told) {
	if missed == nil {
		return
	}
	n.mutex.Lock()
	defer n.mutex.Unlock()
	for i := range missed {
		n.missed[missed[i].Column] = true
	}
}
