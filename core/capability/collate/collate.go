// Package collate puts all records one under another, matched by the names of
// their columns, each with the source and the line it came from. Texts stay as
// they were sent.
package collate

import (
	"cmp"
	"context"
	"io"
	"slices"
	"strconv"

	"lastblock/core/finding"
	"lastblock/core/finding/drop"
	"lastblock/core/finding/proof"
	"lastblock/core/finding/suspense"
	"lastblock/core/format/delimited"
	"lastblock/core/large/inorder"
	"lastblock/core/large/prints"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/core/tally"
	"lastblock/core/value/amount"
	"lastblock/core/value/kind"
)

// Options say how records are put together.
type Options struct {
	Bare      bool      // leave out the words of file names, the source and the line
	Totals    []string  // amount columns to be proven as well
	Drop      *drop.Set // what is left out
	Both      bool      // write what is left out to Suspense, too
	Twins     bool      // look for sources that are the same bytes
	Suspense  *suspense.File
	Delimiter byte           // of the delimited text that is written
	Encode    record.Encoder // another format than delimited text; nil for that
	Shield    bool           // a text that a spreadsheet would run as a formula gets an apostrophe

	// States has every record be written that was read, with what became of it and why: see record.StateColumn; of the
	// sources nothing is told. Amounts are columns of which a record must have amounts to be used, as far as its source
	// has them.
	States  bool
	Amounts []string
	// Skip tells of which sources no record is written with States, though they count; nil for none.
	Skip func(index int) bool

	Adder Adder // brings more columns; nil for none

	// Kinds are the kinds of data columns for an encoder that tells them apart:
	// what is of its column's kind is then given in its plain form.
	Kinds map[string]record.Kind
}

// Adder brings columns from elsewhere, which stand behind those of the data.
type Adder interface {
	// Prepare is called once the columns of the data are known.
	Prepare(set *source.Set, resolver *tally.Resolver) error
	// Names are what the columns are called.
	Names() []string
	// Worker makes the worker of one goroutine.
	Worker() AdderWorker
	// Tell adds what was noticed, once all records were read.
	Tell(findings *finding.List)
}

// AdderWorker brings the columns of one record after another.
type AdderWorker interface {
	// Find is called for the records of a batch that rows names, or with nil for all of
	// them. values are their amounts by Options.Totals.
	Find(b *source.Batch, rows []int, values []amount.Amount)
	// Texts are those of the i-th of them, with their kinds, good until it is called
	// again, and AppendDelimited appends them with a delimiter before each.
	Texts(i int) ([][]byte, []record.Kind)
	AppendDelimited(dst []byte, i int) []byte
}

// Result says what was put together.
type Result struct {
	Columns  []string // in the order in which they were written
	Records  int
	Sources  []tally.Source // what each source gave, by its index
	Findings []finding.Finding
	Proof    proof.Proof
	// States are, with Options.States, fingerprints by source of what became of its records, and of the words of its
	// name: where these and the records are the same, so is all that is written of them.
	States []string
}

// Plan is a collation whose columns are known and whose records are not read.
type Plan struct {
	Columns  []string
	set      *source.Set
	reading  source.Reading
	options  Options
	resolver *tally.Resolver
	added    []string
}

// Prepare looks at all sources and works out the columns of the result.
func Prepare(ctx context.Context, set *source.Set, reading source.Reading, options Options) (*Plan, error) {
	reading.AsSent = options.Kinds == nil && len(options.Totals) == 0 && options.Adder == nil && options.Drop.IsEmpty()
	if err := set.Look(ctx, reading); err != nil {
		return nil, err
	}
	p := &Plan{set: set, reading: reading, options: options, resolver: tally.NewResolver(set)}
	p.Columns = slices.Clone(p.resolver.Data())
	if options.Adder != nil {
		if err := options.Adder.Prepare(set, p.resolver); err != nil {
			return nil, err
		}
		p.added = options.Adder.Names()
		p.Columns = append(p.Columns, p.added...)
	}
	if !options.Bare {
		for _, ours := range p.resolver.Ours {
			if options.States && ours.Word == record.SourceColumn {
				p.Columns = append(p.Columns, record.StateColumn, record.ReasonColumn, record.RawColumn)
			}
			p.Columns = append(p.Columns, ours.Name)
		}
	}
	if options.States {
		for i := range set.Sources {
			set.KeepSent(set.Sources[i].Name)
		}
	}
	for _, name := range options.Totals {
		if _, err := p.resolver.ResolveData(name); err != nil {
			return nil, err
		}
	}
	return p, nil
}

// Header returns the header line of delimited text.
func (p *Plan) Header() []byte {
	texts := make([][]byte, len(p.Columns))
	for i, name := range p.Columns {
		texts[i] = []byte(name)
		if p.options.Shield {
			var room []byte
			texts[i] = delimited.Shield(texts[i], &room)
		}
	}
	return delimited.AppendRecord(nil, texts, p.options.Delimiter)
}

// Job is a collation on its way: begun, shown the records by its visitors, and finished.
type Job struct {
	plan     *Plan
	tally    *tally.Tally
	ordered  *inorder.Writer
	visitors []*visitor
}

// Write reads all records and writes them to w, without a header, in the order
// of the sources and lines. The error is what reading or writing returned, or
// a *proof.FailedError.
func (p *Plan) Write(ctx context.Context, w io.Writer) (*Result, error) {
	j, err := p.Begin(ctx, w)
	if err != nil {
		return nil, err
	}
	if err := p.set.Scan(ctx, p.reading, j.Visitor); err != nil {
		return nil, err
	}
	return j.Finish()
}

// Begin is Write for a caller who scans the set with the job's visitors, and then calls
// Finish.
func (p *Plan) Begin(ctx context.Context, w io.Writer) (*Job, error) {
	t := tally.New(p.set, tally.Options{Amounts: append(slices.Clip(p.options.Totals), p.options.Amounts...),
		Optional: p.options.Amounts, Filed: p.options.Twins, Silent: p.options.States,
		Every: p.options.Kinds != nil, Suspense: p.options.Suspense, Drop: p.options.Drop, Both: p.options.Both})
	if p.options.Twins {
		if err := t.LookForTwins(ctx, p.reading.Jobs); err != nil {
			return nil, err
		}
	}
	return &Job{plan: p, tally: t, ordered: inorder.NewWriter(w, 4*max(1, p.reading.Jobs))}, nil
}

// Visitor makes the visitor of one goroutine.
func (j *Job) Visitor() source.Visitor {
	v := &visitor{plan: j.plan, tally: j.tally.Visitor(), ordered: j.ordered,
		used: make([]amount.Sum, len(j.tally.Amounts()))}
	if j.plan.options.States {
		v.tally.Aside = func(a *tally.Aside) { v.aside = append(v.aside, *a) }
	}
	if j.plan.options.Adder != nil {
		v.adder = j.plan.options.Adder.Worker()
	}
	j.visitors = append(j.visitors, v)
	return v
}

// Read is how many records the visitors have counted.
func (j *Job) Read() int { return j.tally.Read() }

// Finish adds up what was written. The error is a *proof.FailedError, or a
// *tally.UnknownColumnError.
func (j *Job) Finish() (*Result, error) {
	p, t := j.plan, j.tally
	if err := t.Finish(); err != nil {
		return nil, err
	}
	if !p.options.States {
		t.TellDiffering()
	}
	if p.options.Kinds == nil && !p.options.States { // an encoder of kinds has all amounts alike
		t.TellDecimals()
	}
	if !p.options.Bare {
		p.resolver.TellRenamed(&t.Findings)
	}
	if p.options.Adder != nil {
		p.options.Adder.Tell(&t.Findings)
	}
	result := &Result{Columns: p.Columns, Sources: t.Sources, Findings: t.Findings.All(), Proof: t.Proof}
	used := make([]amount.Sum, len(t.Amounts()))
	for _, v := range j.visitors {
		result.Records += v.records
		for k := range used {
			used[k].Merge(&v.used[k])
		}
	}
	if p.options.States {
		result.States = j.states()
	}
	result.Proof.Used = result.Records
	for k := range used {
		result.Proof.Totals[k].Used = used[k].Amount()
	}
	return result, result.Proof.Check()
}

// visitor writes what one goroutine reads.
type visitor struct {
	plan    *Plan
	tally   *tally.Visitor
	ordered *inorder.Writer
	adder   AdderWorker // nil without an Adder
	out     []byte
	records int
	used    []amount.Sum

	layout    *record.Layout
	columns   []int // of the source, by column of the result; -1 where it has none
	straight  bool  // the source has exactly the data columns, in their order
	texts     [][]byte
	kinds     []record.Kind // of the texts
	wanted    []record.Kind // of the data columns
	scratches [][]byte
	plain     [][]byte
	index     int
	ours      [][]byte // what stands in our columns, but for the line
	tail      []byte   // the same, ready to be written behind a record
	line      []byte
	aside     []tally.Aside // records of the batch that are not used
	skips     bool          // no record of the source is written
	states    map[int]prints.Sum
	filled    []int // columns of the last record that are not blank, where takeFilled is used
}

func (v *visitor) Batch(b *source.Batch) error {
	v.aside = v.aside[:0]
	if err := v.tally.Batch(b); err != nil {
		return err
	}
	if b.First || v.layout == nil || v.index != b.Index {
		v.enter(b)
	}
	n := v.tally.Usable(b)
	v.records += n
	for i, value := range v.tally.Values {
		v.used[i%len(v.used)].Add(value)
	}
	if v.plan.options.States {
		if v.noteStates(); !v.skips {
			v.writeStates(b, n)
		}
		return nil
	}
	if v.adder != nil {
		v.adder.Find(b, v.tally.Rows, v.tally.Values)
	}
	options := &v.plan.options
	if options.Encode == nil && !options.Shield && b.Regular && v.straight && delimiterOf(b) == options.Delimiter {
		v.copyRecords(b, n)
		return nil
	}
	for i := range n {
		texts := v.record(b, i)
		if options.Encode != nil {
			v.out = options.Encode(v.out, texts, v.kinds)
		} else {
			v.out = delimited.AppendRecord(v.out, texts, options.Delimiter)
		}
	}
	return nil
}

func (v *visitor) Part(ctx context.Context, task int) (err error) {
	if err := v.tally.Part(ctx, task); err != nil {
		return err
	}
	v.out, err = v.ordered.Part(ctx, task, v.out)
	return err
}

func (v *visitor) Flush(ctx context.Context, task int) (err error) {
	if err := v.tally.Flush(ctx, task); err != nil {
		return err
	}
	v.out, err = v.ordered.Deliver(ctx, task, v.out)
	return err
}

// enter works out how the records of the next source are written.
func (v *visitor) enter(b *source.Batch) {
	v.index = b.Index
	v.skips = v.plan.options.Skip != nil && v.plan.options.Skip(b.Index)
	data := v.plan.resolver.Data()
	if v.layout != b.Head.Layout {
		v.layout = b.Head.Layout
		v.straight = slices.Equal(v.layout.Columns, data)
		v.columns = v.columns[:0]
		for _, name := range data {
			column, ok := v.layout.Find(name)
			if !ok {
				column = -1
			}
			v.columns = append(v.columns, column)
		}
		v.texts, v.filled = make([][]byte, len(v.plan.Columns)), v.filled[:0]
		v.scratches, v.plain = make([][]byte, len(data)), make([][]byte, len(data))
		v.kinds, v.wanted = make([]record.Kind, len(v.plan.Columns)), make([]record.Kind, len(data))
		for i, name := range data {
			v.wanted[i] = v.plan.options.Kinds[name]
		}
	}
	v.tail = append(v.tail[:0], '\n')
	if v.plan.options.Bare {
		return
	}
	v.ours = v.plan.resolver.Texts(b.Index, v.ours)
	for i := range v.ours {
		if v.plan.options.Shield {
			v.ours[i] = append(v.ours[i][:0], delimited.Shield(v.ours[i], &v.line)...)
		}
	}
	v.tail = v.tail[:0]
	for _, text := range v.ours {
		v.tail = append(v.tail, v.plan.options.Delimiter)
		v.tail = delimited.AppendField(v.tail, text, v.plan.options.Delimiter)
	}
	v.tail = append(v.tail, v.plan.options.Delimiter)
}

// delimiterOf is the delimiter in the records of a batch; what is no delimited text is handed on with commas.
func delimiterOf(b *source.Batch) byte { return cmp.Or(b.Head.Delimiter, ',') }

// copyRecords writes records whose bytes can stay as they are.
func (v *visitor) copyRecords(b *source.Batch, n int) {
	out := v.out
	for i := range n {
		row := v.tally.Row(i)
		if !b.Plain && !delimited.IsAsWritten(&b.Batch, row, v.plan.options.Delimiter) {
			out = delimited.AppendRecord(out, v.record(b, i), v.plan.options.Delimiter)
			continue
		}
		out = append(out, b.Raw(row)...)
		if v.adder != nil {
			out = v.adder.AppendDelimited(out, i)
		}
		out = append(out, v.tail...)
		if !v.plan.options.Bare {
			out = append(strconv.AppendInt(out, int64(b.Line(row)), 10), '\n')
		}
	}
	v.out = out
}

// record returns the texts of the i-th record, by column of the result.
func (v *visitor) record(b *source.Batch, i int) [][]byte {
	row := v.tally.Row(i)
	bounds := b.RecordBounds(row)
	const wide = 64
	if v.straight && len(v.columns) > wide {
		v.takeFilled(b, row, bounds)
	} else {
		for i, column := range v.columns {
			if column < 0 || bounds[column]+1 == bounds[column+1] {
				v.texts[i], v.kinds[i] = nil, record.Text
				continue
			}
			v.takeText(b, row, i, column)
		}
	}
	at := len(v.columns)
	if v.adder != nil {
		at += v.takeAdded(i, at)
	}
	if !v.plan.options.Bare {
		at += copy(v.texts[at:], v.ours)
		v.line = strconv.AppendInt(v.line[:0], int64(b.Line(row)), 10)
		v.texts[at], v.kinds[at] = v.line, record.Amount
	}
	return v.texts
}

// takeFilled takes the texts of a record that are not blank, of which of thousands of columns most records have few.
func (v *visitor) takeFilled(b *source.Batch, row int, bounds []uint32) {
	for _, i := range v.filled {
		v.texts[i], v.kinds[i] = nil, record.Text
	}
	v.filled = v.filled[:0]
	before := bounds[0]
	for column, end := range bounds[1:] {
		if before+1 != end {
			v.filled = append(v.filled, column)
		}
		before = end
	}
	for _, i := range v.filled {
		v.takeText(b, row, i, i)
	}
}

// takeText takes the text of a column into the i-th one of the result.
func (v *visitor) takeText(b *source.Batch, row, i, column int) {
	v.texts[i] = b.Text(row, column, &v.scratches[i])
	if v.plan.options.Kinds != nil {
		v.readKind(b, i, column)
	}
	if v.plan.options.Shield {
		v.texts[i] = delimited.Shield(v.texts[i], &v.plain[i])
	}
}

// takeAdded takes the texts that were brought for the n-th record into the columns from
// at on.
func (v *visitor) takeAdded(n, at int) int {
	texts, kinds := v.adder.Texts(n)
	for i, text := range texts {
		if v.plan.options.Shield {
			var room []byte
			text = delimited.Shield(text, &room)
		}
		v.texts[at+i], v.kinds[at+i] = text, kinds[i]
	}
	return len(texts)
}

// readKind brings a text into the plain form of its column's kind, if it is of
// that kind.
func (v *visitor) readKind(b *source.Batch, i, column int) {
	v.kinds[i] = record.Text
	wanted, text := v.wanted[i], v.texts[i]
	if wanted == record.Text || wanted == "" || len(text) == 0 {
		return
	}
	plain, ok := v.plain[i][:0], false
	if b.Head.Kind(column) == wanted {
		plain, ok = append(plain, text...), true // it has it already
	} else {
		plain, ok = kind.AppendPlain(plain, text, wanted, b.DecimalOf(column))
	}
	v.plain[i] = plain
	if ok {
		v.texts[i], v.kinds[i] = plain, wanted
	}
}

// HasLine tells whether the last column is that of the line.
func (p *Plan) HasLine() bool { return !p.options.Bare }

// Encode sets the format in which Write writes records.
func (p *Plan) Encode(encoder record.Encoder) { p.options.Encode = encoder }
