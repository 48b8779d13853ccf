package tieout

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"

	"lastblock/core/finding"
	"lastblock/core/large/spill"
	"lastblock/core/source"
	"lastblock/core/tally"
	"lastblock/core/value/amount"
	"lastblock/core/value/words"

	"github.com/zeebo/xxh3"
)

// Balance checks that two totals are equal in every source, as debits and
// credits are, and if By is set for each of its values within a source, as for
// each document.
type Balance struct {
	Left, Right string // amount columns; a Right of "0" wants the total to be zero
	By          string // "" for sources only

	watchers []*balanceWatcher
}

// Columns returns the column of documents, if there is one.
func (c *Balance) Columns() []string {
	if c.By == "" {
		return nil
	}
	return []string{c.By}
}

// Amounts returns the columns that are compared.
func (c *Balance) Amounts() []string {
	if c.Right == "0" {
		return []string{c.Left}
	}
	return []string{c.Left, c.Right}
}

func (c *Balance) name() string {
	if c.Right == "0" {
		return c.Left
	}
	return c.Left + "=" + c.Right
}

func (c *Balance) watch(r *run) watcher {
	w := &balanceWatcher{balanceSides: c.sides(r), by: column{name: c.By}, source: -1}
	if c.By != "" {
		w.open = spill.New(r.memory)
	}
	c.watchers = append(c.watchers, w)
	return w
}

// balanceSides are where the two amounts stand among those of a record.
type balanceSides struct{ left, right, width int }

func (c *Balance) sides(r *run) balanceSides {
	sides := balanceSides{left: r.amountAt(c.Left), right: -1, width: len(r.amounts)}
	if c.Right != "0" {
		sides.right = r.amountAt(c.Right)
	}
	return sides
}

// addTo adds what the i-th usable record is out of balance by.
func (s *balanceSides) addTo(sum *amount.Sum, v *tally.Visitor, i int) {
	left := &v.Values[i*s.width+s.left]
	if coef, scale, ok := left.Plain(); !ok || !sum.AddPlain(coef, scale) {
		sum.Add(*left)
	}
	if s.right < 0 {
		return
	}
	right := &v.Values[i*s.width+s.right]
	if coef, scale, ok := right.Plain(); !ok || !sum.AddPlain(-coef, scale) {
		sum.Sub(*right)
	}
}

// balanceWatcher adds up stretches of records with the same document. Only a
// stretch that is not balanced in itself is put aside: nearly all documents
// stand on neighbouring lines, and most are balanced.
type balanceWatcher struct {
	balanceSides
	by     column
	open   *spill.Sorter // stretches that are not balanced
	source int
	line   int // on which the stretch began
	key    []byte
	sum    amount.Sum
	begun  bool
	item   []byte
	text   []byte
}

func (w *balanceWatcher) batch(b *source.Batch, v *tally.Visitor) error {
	if w.open == nil {
		return nil
	}
	at := w.by.in(b)
	if at < 0 {
		return nil
	}
	w.source = b.Index
	for i := range v.Usable(b) {
		row := v.Row(i)
		key := b.Text(row, at, &w.text)
		if !w.begun || !bytes.Equal(key, w.key) {
			if err := w.end(); err != nil {
				return err
			}
			w.begun, w.line, w.key = true, b.Line(row), append(w.key[:0], key...)
			w.sum.Reset()
		}
		w.addTo(&w.sum, v, i)
	}
	return w.end()
}

// The parts of an item: source, hash of the document, line, and behind them the
// length of the sum, the sum and the document.
const (
	itemDocument = 4 + 16
	itemLine     = itemDocument + 8
)

func (w *balanceWatcher) end() error {
	if !w.begun {
		return nil
	}
	w.begun = false
	if w.sum.IsZero() {
		return nil
	}
	hash := xxh3.Hash128(w.key).Bytes()
	item := binary.BigEndian.AppendUint32(w.item[:0], uint32(w.source))
	item = append(item, hash[:]...)
	item = binary.BigEndian.AppendUint64(item, uint64(w.line))
	text := w.sum.Amount().String()
	item = append(binary.AppendUvarint(item, uint64(len(text))), text...)
	w.item = append(item, w.key...)
	return w.open.Add(w.item)
}

// imbalance is a source, or a document in it, that is not balanced.
type imbalance struct {
	source int
	line   int
	key    string
	isKey  bool
	left   amount.Amount // the totals of a source
	right  amount.Amount
	off    amount.Amount
	hint   hint
}

func (c *Balance) finish(ctx context.Context, r *run) error {
	found := &imbalances{check: c, run: r}
	for index := range r.tally.Sources {
		counted := &r.tally.Sources[index]
		if counted.Head == nil || r.set.IsPassedOver(index) {
			continue
		}
		left, right := counted.Totals[r.amountAt(c.Left)].Amount(), amount.Amount{}
		if c.Right != "0" {
			right = counted.Totals[r.amountAt(c.Right)].Amount()
		}
		if off := left.Sub(right); off.Sign() != 0 {
			if err := found.add(ctx, imbalance{source: index, left: left, right: right, off: off}); err != nil {
				return err
			}
		}
	}
	if c.By != "" {
		if err := c.eachDocument(func(i imbalance) error { return found.add(ctx, i) }); err != nil {
			return err
		}
	}
	return found.tell(ctx)
}

// eachDocument puts the stretches of each document together, and gives those
// that are not balanced.
func (c *Balance) eachDocument(visit func(imbalance) error) error {
	var sorters []*spill.Sorter
	for _, w := range c.watchers {
		sorters = append(sorters, w.open)
	}
	var document []byte
	var current imbalance
	var sum amount.Sum
	end := func() error {
		if current.off = sum.Amount(); document == nil || current.off.Sign() == 0 {
			return nil
		}
		return visit(current)
	}
	err := spill.Merge(sorters, func(item []byte) error {
		length, size := binary.Uvarint(item[itemLine:])
		at := itemLine + size
		off, err := amount.Parse(item[at:at+int(length)], '.')
		if err != nil {
			return fmt.Errorf("taking back what was put aside: %w", err)
		}
		if document == nil || !bytes.Equal(document, item[:itemDocument]) {
			if err := end(); err != nil {
				return err
			}
			document = append(document[:0], item[:itemDocument]...)
			sum = amount.Sum{}
			current = imbalance{
				source: int(binary.BigEndian.Uint32(item)), line: int(binary.BigEndian.Uint64(item[itemDocument:])),
				key: string(item[at+int(length):]), isKey: true,
			}
		}
		sum.Add(off)
		return nil
	})
	if err != nil {
		return err
	}
	return end()
}

func (c *Balance) close() error {
	var errs []error
	for _, w := range c.watchers {
		errs = append(errs, w.open.Close())
	}
	return errors.Join(errs...)
}

// imbalances gathers what is not balanced, and looks for the reasons.
type imbalances struct {
	check     *Balance
	run       *run
	found     []imbalance
	explained bool
}

// imbalancesHeld is how many are held at a time. Of those beyond the first so many
// nobody looks for the reason, as the columns are hardly the right ones then.
const imbalancesHeld = 10_000

func (l *imbalances) add(ctx context.Context, i imbalance) error {
	l.found = append(l.found, i)
	if len(l.found) < imbalancesHeld {
		return nil
	}
	return l.tell(ctx)
}

// tell makes findings of what was gathered.
func (l *imbalances) tell(ctx context.Context) error {
	if len(l.found) == 0 {
		return nil
	}
	if !l.explained {
		l.explained = true
		if err := l.check.explain(ctx, l.run, l.found); err != nil {
			return err
		}
	}
	for _, i := range l.found {
		f := l.run.about(finding.Unbalanced, i.source)
		f.Column, f.Difference = l.check.name(), i.off.String()
		what := "the source"
		if i.isKey {
			f.Line, f.Key, f.Record = i.line, i.key, i.hint.records
			what = fmt.Sprintf("%s %s", l.check.By, i.key)
			if i.key == "" {
				what = "the records without a " + l.check.By
			}
		} else {
			f.Expected, f.Found = i.right.String(), i.left.String()
		}
		if l.check.Right == "0" {
			f.Message = fmt.Sprintf("%s: %s comes to %s, and should to zero", what, l.check.Left, i.off.Money())
		} else {
			f.Message = fmt.Sprintf("%s: %s and %s differ by %s", what, l.check.Left, l.check.Right, i.off.Money())
		}
		if n := l.run.tally.Sources[i.source].Suspense; n > 0 {
			f.Message += fmt.Sprintf("; %s of this source in suspense may be the reason", words.Count(n, "record"))
		} else {
			f.Message += i.hint.text(i.off)
		}
		l.run.tally.Findings.Add(f)
	}
	l.found = l.found[:0]
	return nil
}
