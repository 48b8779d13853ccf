package matching

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"slices"
	"sync/atomic"

	"lastblock/core/large/partition"

	"golang.org/x/sync/errgroup"
)

// Heaps are the items of one or two sides, dealt to heaps by the hash of their keys,
// so that each heap fits into memory.
type Heaps struct {
	Keep bool // what was given to EachGroup, so that it can be given once more

	count int
	limit int64 // bytes that one dealer holds

	dealers [2][]*Dealer
}

// Dealer deals items to heaps for one goroutine.
type Dealer struct {
	count int
	bins  *partition.Bins
}

// NewHeaps makes heaps for so many bytes of records. They take, with jobs dealers
// for each side, not much more memory than that.
func NewHeaps(size, memory int64, jobs int) *Heaps {
	const least, most, usual = 16, 1 << 12, 1 << 19 // bytes of a heap, which with its table fits into a core's cache
	h := &Heaps{count: least}
	for h.count < most && size > int64(h.count)*min(usual, max(1<<16, memory/int64(16*max(1, jobs)))) {
		h.count *= 2
	}
	h.limit = memory / int64(4*max(1, jobs))
	return h
}

// Dealer makes a dealer of a side, 0 or 1. It must not be called while another one
// is being used.
func (h *Heaps) Dealer(side int) *Dealer {
	d := &Dealer{count: h.count, bins: partition.NewBins(h.count, h.limit)}
	h.dealers[side] = append(h.dealers[side], d)
	return d
}

// Add deals an item, which may be used again.
func (d *Dealer) Add(it Item) error {
	return d.bins.Add(d.heapOf(it.Hash()), it)
}

func (d *Dealer) heapOf(hash uint64) int { return int(hash >> 32 % uint64(d.count)) }

// Close gives back what the heaps hold. Nil holds nothing.
func (h *Heaps) Close() error {
	if h == nil {
		return nil
	}
	var errs []error
	for _, dealers := range h.dealers {
		for _, d := range dealers {
			errs = append(errs, d.bins.Close())
		}
	}
	return errors.Join(errs...)
}

// Groups is given the items of each key by one goroutine.
type Groups interface {
	// Group is given the items of one key, those of each side in the order of their
	// places. They are good until it returns.
	Group(here, there []Item) error
}

// EachGroup gives all items, key by key in no order, to as many goroutines as groups
// are made.
func (h *Heaps) EachGroup(ctx context.Context, jobs int, groups func() Groups) error {
	var next atomic.Int64
	group, ctx := errgroup.WithContext(ctx)
	var gatherers []*gatherer
	for range max(1, jobs) {
		gatherers = append(gatherers, &gatherer{heaps: h, groups: groups()})
	}
	for _, g := range gatherers {
		group.Go(func() error {
			for {
				heap := int(next.Add(1)) - 1
				if heap >= h.count {
					return nil
				}
				if err := ctx.Err(); err != nil {
					return err
				}
				if err := g.heap(heap); err != nil {
					return err
				}
			}
		})
	}
	return group.Wait()
}

// gatherer puts the items of a heap together, for one goroutine.
type gatherer struct {
	heaps  *Heaps
	groups Groups

	items  []Item
	hashes []uint64
	ours   int      // how many of the items are of side 0
	slots  []uint32 // number of a group plus one, where its hash says; 0 is free
	first  []uint32 // item of a group, plus one
	last   []uint32
	next   []uint32 // item of the same group behind an item, plus one
	here   []Item
	there  []Item
}

func (g *gatherer) heap(number int) error {
	g.items, g.hashes = g.items[:0], g.hashes[:0]
	for side, dealers := range g.heaps.dealers {
		for _, d := range dealers {
			err := d.bins.Each(number, func(item []byte) error {
				g.items = append(g.items, item)
				g.hashes = append(g.hashes, Item(item).Hash())
				return nil
			})
			if err != nil {
				return err
			}
		}
		if side == 0 {
			g.ours = len(g.items)
		}
	}
	g.link()
	for _, at := range g.first {
		g.here, g.there = g.here[:0], g.there[:0]
		for ; at != 0; at = g.next[at-1] {
			if int(at) <= g.ours {
				g.here = append(g.here, g.items[at-1])
			} else {
				g.there = append(g.there, g.items[at-1])
			}
		}
		order(g.here)
		order(g.there)
		if err := g.groups.Group(g.here, g.there); err != nil {
			return err
		}
	}
	if g.heaps.Keep {
		return nil
	}
	for _, dealers := range g.heaps.dealers {
		for _, d := range dealers {
			d.bins.Free(number)
		}
	}
	return nil
}

// link finds out which items have one key.
func (g *gatherer) link() {
	size := 1 << 4
	for size < 2*len(g.items) {
		size *= 2
	}
	if cap(g.slots) < size {
		g.slots = make([]uint32, size)
	}
	slots := g.slots[:size]
	clear(slots)
	if cap(g.next) < len(g.items) {
		g.next = make([]uint32, len(g.items)+len(g.items)/4)
	}
	g.next = g.next[:len(g.items)]
	clear(g.next)
	g.first, g.last = g.first[:0], g.last[:0]
	mask := uint64(size - 1)
	for i, hash := range g.hashes {
		at := hash & mask
		for slots[at] != 0 && !g.same(int(g.first[slots[at]-1]-1), i) {
			at = (at + 1) & mask
		}
		if slots[at] == 0 {
			g.first = append(g.first, uint32(i+1))
			g.last = append(g.last, uint32(i+1))
			slots[at] = uint32(len(g.first))
			continue
		}
		group := slots[at] - 1
		g.next[g.last[group]-1] = uint32(i + 1)
		g.last[group] = uint32(i + 1)
	}
}

func (g *gatherer) same(i, k int) bool {
	return g.hashes[i] == g.hashes[k] && bytes.Equal(g.items[i].Key(), g.items[k].Key())
}

func order(items []Item) {
	if len(items) > 1 {
		slices.SortFunc(items, func(a, b Item) int {
			return cmp.Or(cmp.Compare(a.Place(), b.Place()), bytes.Compare(a, b))
		})
	}
}
