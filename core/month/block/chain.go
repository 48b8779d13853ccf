package block

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"runtime"
	"slices"
	"strconv"
	"time"

	"lastblock/core/finding/lock"
	"lastblock/core/value/period"

	"golang.org/x/sync/errgroup"
)

// Entry is a block of a chain, with its seal. Its Sources are read by Chain.Sources, its Bridges by Chain.Bridges.
type Entry struct {
	Block
	File string // its name in the folder of the chain
	Seal string

	err error // of reading it
}

// Chain are all blocks of a folder, in their order.
type Chain struct {
	Folder  string
	Entries []Entry
	Lost    []error // what could not be shown, for files that are gone: *LostError

	sources map[int][]Source // of blocks, by their numbers, that were read
	owned   map[int][]Source // likewise, those that stand in the block itself
	given   map[int]givenIn  // likewise, fingerprints of what they gave to results
}

// BrokenError is a chain that is not as it was written. Nobody may go on with it.
type BrokenError struct {
	Folder string
	Number int // of the block
	Text   string
}

func (e *BrokenError) Error() string {
	return fmt.Sprintf("block %d in %s: %s; put the file back from a copy. Nothing was changed", e.Number, e.Folder,
		e.Text)
}

// NewerError is a block that a newer Lastblock has written.
type NewerError struct {
	Folder          string
	Number, Version int
}

func (e *NewerError) Error() string {
	return fmt.Sprintf("block %d in %s is of version %d, and this Lastblock reads version %d; use the newer one",
		e.Number, e.Folder, e.Version, Version)
}

// OtherPlanError is a chain of another plan.
type OtherPlanError struct{ Folder, Plan, Other string }

func (e *OtherPlanError) Error() string {
	return fmt.Sprintf("the blocks in %s are those of the plan %s, and this is %s; set blocks in [close] of one of "+
		"them", e.Folder, e.Other, e.Plan)
}

// blockName is how the files of blocks are called.
var blockName = regexp.MustCompile(`^([0-9]{4,})-(.+)\.json$`)

// mostBytes is how large a block may be. What is larger is none.
const mostBytes = 1 << 30

// Read reads the chain in a folder; one that is not there has no block. plan is the name of the plan
// whose chain it has to be. The error is a *BrokenError, a *NewerError, an *OtherPlanError, or what
// reading returned; with the first the chain up to there is returned.
func Read(folder, plan string) (*Chain, error) {
	c := &Chain{Folder: folder}
	listed, err := c.list()
	if err != nil {
		return nil, err
	}
	read := c.readAll(listed)
	for i, of := range listed {
		number := i + 1
		switch {
		case of.number > number:
			return c, c.broken(number, "it is missing, and block %d is there", of.number)
		case of.number < number:
			return c, c.broken(of.number, "there is no such block")
		case i+1 < len(listed) && listed[i+1].number == number:
			return c, c.broken(number, "it is there twice, as %s and %s", of.file, listed[i+1].file)
		}
		e := &read[i]
		if e.err == nil {
			sealed := i+1 < len(read) && read[i+1].Previous != nil && read[i+1].Previous.Seal == e.Seal
			e.err = c.check(e, of, sealed)
		}
		if e.err != nil {
			var broken *BrokenError
			if errors.As(e.err, &broken) && broken.Number < number { // which turns out by the next one
				c.Entries = c.Entries[:len(c.Entries)-1]
			}
			return c, e.err
		}
		if e.Plan.Name != plan {
			return nil, &OtherPlanError{folder, plan, e.Plan.Name}
		}
		c.Entries = append(c.Entries, *e)
	}
	return c, nil
}

func (c *Chain) broken(number int, format string, arguments ...any) error {
	return &BrokenError{c.Folder, number, fmt.Sprintf(format, arguments...)}
}

// listed is the file of a block.
type listed struct {
	number int
	file   string
}

// list lists the files of blocks by their numbers.
func (c *Chain) list() (all []listed, err error) {
	entries, err := os.ReadDir(c.Folder)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	for _, entry := range entries {
		name := blockName.FindStringSubmatch(entry.Name())
		if name == nil || entry.IsDir() {
			continue
		}
		number, err := strconv.Atoi(name[1])
		if err != nil {
			continue // too large for one of ours
		}
		all = append(all, listed{number, entry.Name()})
	}
	slices.SortStableFunc(all, func(a, b listed) int { return a.number - b.number })
	return all, err
}

// readAll reads the files of blocks, on all cores.
func (c *Chain) readAll(listed []listed) []Entry {
	entries := make([]Entry, len(listed))
	var group errgroup.Group
	group.SetLimit(runtime.GOMAXPROCS(0))
	for i, of := range listed {
		group.Go(func() error {
			entries[i].err = c.read(&entries[i], of)
			return nil
		})
	}
	_ = group.Wait() // each entry has its own
	return entries
}

// read reads the file of a block.
func (c *Chain) read(e *Entry, of listed) error {
	data, err := c.bytesOf(of)
	if err != nil {
		return err
	}
	e.File, e.Seal = of.file, SealOf(data)
	head, _, _ := sourcesCut.take(data)
	head, _, _ = bridgesCut.take(head)
	version := struct {
		Version int `json:"version"`
	}{}
	if err := json.Unmarshal(head, &version); err != nil {
		return c.broken(of.number, "%s is torn or was changed: it is no JSON any more", of.file)
	}
	if version.Version > Version {
		return &NewerError{c.Folder, of.number, version.Version}
	}
	if err := json.Unmarshal(head, &e.Block); err != nil {
		return c.broken(of.number, "%s was changed: %v", of.file, err)
	}
	return nil
}

// bytesOf reads what the file of a block holds.
func (c *Chain) bytesOf(of listed) ([]byte, error) {
	path := filepath.Join(c.Folder, of.file)
	info, err := os.Stat(path)
	if err != nil {
		return nil, err
	}
	if info.Size() > mostBytes {
		return nil, c.broken(of.number, "%s has %d bytes, which no block has", of.file, info.Size())
	}
	return os.ReadFile(path)
}

// check makes sure that a block is as it was written, which is known where the next one has sealed it so,
// and that it follows the one before.
func (c *Chain) check(e *Entry, of listed, sealed bool) error {
	if !sealed {
		data, err := c.bytesOf(of)
		if err != nil {
			return err
		}
		if !hasItsBody(data) {
			return c.broken(of.number, "%s was changed: its bytes are not those that were sealed", of.file)
		}
	}
	switch {
	case e.Number != of.number || of.file != Name(e.Number, e.Period):
		return c.broken(of.number, "%s is block %d of %s under another name", of.file, e.Number, e.Period)
	}
	return c.follows(e)
}

// Sources are those of a block, which must not be changed. The error is a *BrokenError, or what reading returned.
func (c *Chain) Sources(e *Entry) (sources []Source, err error) {
	if sources, known := c.sources[e.Number]; known {
		return sources, nil
	}
	if sources, err = c.readSources(e); err != nil {
		return nil, err
	}
	c.know(e, sources)
	return sources, nil
}

// know keeps the sources of a block in mind.
func (c *Chain) know(e *Entry, sources []Source) {
	if c.sources == nil {
		c.sources = make(map[int][]Source)
	}
	c.sources[e.Number] = sources
}

func (c *Chain) readSources(e *Entry) (sources []Source, err error) {
	if e.isWhole() {
		return c.own(e)
	}
	return c.composed(e)
}

// own are the sources that stand in a block itself, which must not be changed.
func (c *Chain) own(e *Entry) (sources []Source, err error) {
	sources, known := c.owned[e.Number]
	if known {
		return sources, nil
	}
	if sources, err = c.readOwn(e); err == nil {
		if c.owned == nil {
			c.owned = make(map[int][]Source)
		}
		c.owned[e.Number] = sources
	}
	return sources, err
}

func (c *Chain) readOwn(e *Entry) (sources []Source, err error) {
	count := e.SourceCount - e.countEarlier()
	isListed := count <= mostSources
	if e.Version > 2 && e.Figures.Name != "" || !isListed { // these say the same, and are read in a tenth of the time
		if sources, err = c.sourcesOfFigures(e); err == nil && len(sources) == count || !isListed {
			return sources, err
		}
		sources = nil
	}
	err = c.listOf(e, &sourcesCut, &sources)
	return sources, err
}

// Bridges are those of a block, which are not read with it. The error is a *BrokenError, or what reading returned.
func (c *Chain) Bridges(e *Entry) (bridges []Bridge, err error) {
	err = c.listOf(e, &bridgesCut, &bridges)
	return bridges, err
}

// listOf reads a list of a block.
func (c *Chain) listOf(e *Entry, of *cut, list any) error {
	data, err := c.bytesOf(listed{e.Number, e.File})
	if err != nil {
		return err
	}
	_, items, ok := of.take(data)
	if SealOf(data) != e.Seal || !ok {
		return c.broken(e.Number, "%s was changed since it was read", e.File)
	}
	return json.Unmarshal(items, list)
}

// follows makes sure that a block names the one before it.
func (c *Chain) follows(e *Entry) error {
	last := c.Last()
	switch {
	case last == nil && e.Previous == nil:
		return nil
	case last == nil:
		return c.broken(e.Number, "it says that block %d is before it", e.Previous.Number)
	case e.Previous == nil || e.Previous.Number != last.Number:
		return c.broken(e.Number, "it does not say that block %d is before it", last.Number)
	case e.Previous.Seal != last.Seal:
		return c.broken(last.Number, "it was changed: block %d has sealed it as %s, and it is %s now", e.Number,
			Short(e.Previous.Seal), Short(last.Seal))
	}
	return nil
}

// Last is the newest block, nil for none.
func (c *Chain) Last() *Entry {
	if len(c.Entries) == 0 {
		return nil
	}
	return &c.Entries[len(c.Entries)-1]
}

// Latest is the newest block of the latest period, nil for none. Blocks whose periods cannot be compared are
// in the order of their numbers.
func (c *Chain) Latest() (latest *Entry) {
	var of period.Period
	for i := range c.Entries {
		p, ok := period.Parse(c.Entries[i].Period)
		if latest == nil || !ok || p.Last() >= of.Last() {
			latest, of = &c.Entries[i], p
		}
	}
	return latest
}

// Since is the block with which the figures of a coming block of a period are compared: the newest one of that period,
// which it restates, else that of the last period before it; nil where there is none. Blocks whose periods cannot be
// compared are in the order of their numbers.
func (c *Chain) Since(of string) (since *Entry) {
	if same := c.Of(of); same != nil {
		return same
	}
	own, isPeriod := period.Parse(of)
	var last period.Period
	for i := range c.Entries {
		p, ok := period.Parse(c.Entries[i].Period)
		switch {
		case isPeriod && ok && p.Last() > own.Last():
		case since == nil, !ok, p.Last() >= last.Last():
			since, last = &c.Entries[i], p
		}
	}
	return since
}

// Standing are the newest blocks of periods later than that of a restatement: their figures were closed with those of
// the block that it takes the place of.
func (c *Chain) Standing(restated *Block) (later []*Entry) {
	own, ok := period.Parse(restated.Period)
	if !ok || restated.Restates == 0 {
		return nil
	}
	for i := range c.Entries {
		e := &c.Entries[i]
		p, is := period.Parse(e.Period)
		if is && p.Last() > own.Last() && c.Of(e.Period) == e && e.Number < restated.Number {
			later = append(later, e)
		}
	}
	return later
}

// since is that of the block at a place in the chain, among those before it.
func (c *Chain) since(at int) *Entry {
	before := Chain{Entries: c.Entries[:at]}
	return before.Since(c.Entries[at].Period)
}

// Of is the newest block of a period, nil for none.
func (c *Chain) Of(period string) *Entry {
	for i := len(c.Entries) - 1; i >= 0; i-- {
		if c.Entries[i].Period == period {
			return &c.Entries[i]
		}
	}
	return nil
}

// Naming is the newest block that has made a result of a name, nil for none.
func (c *Chain) Naming(result string) *Entry {
	for i := len(c.Entries) - 1; i >= 0; i-- {
		for _, r := range c.Entries[i].Results {
			if r.Name == result {
				return &c.Entries[i]
			}
		}
	}
	return nil
}

// Coming makes an entry of a block that is to stand behind all others: with its number, what is before it and its file.
// It has no seal, since not all may be known yet that the block seals.
func (c *Chain) Coming(b Block) *Entry {
	b.Version, b.Number, b.Previous = Version, len(c.Entries)+1, nil
	if last := c.Last(); last != nil {
		b.Previous = &Link{last.Number, last.Seal}
	}
	return &Entry{Block: b, File: Name(b.Number, b.Period)}
}

// Next is Coming of a block that is complete, with its seal, and gives the bytes to be written to its file.
func (c *Chain) Next(b Block) (e *Entry, data []byte, err error) {
	e = c.Coming(b)
	if data, err = e.Encode(); err != nil {
		return nil, nil, err
	}
	e.Seal = SealOf(data)
	return e, data, nil
}

// GrownError says that somebody else has added a block.
type GrownError struct{ Folder string }

func (e *GrownError) Error() string {
	return fmt.Sprintf("somebody else has closed in %s since this run began; run again", e.Folder)
}

const (
	lockName = ".lock"
	patience = 5 * time.Second // that one who adds a block has with another one
)

// Append adds a block to the chain in a folder, which has to be as it was when c was read. After a power
// cut there is the old chain or the new one. The error is a *GrownError, that of Read, or what
// writing returned; c is unchanged then.
func (c *Chain) Append(b Block) (e *Entry, err error) {
	held, err := c.Hold(b.Plan.Name)
	if err != nil {
		return nil, err
	}
	defer held.Close()
	e, data, err := c.Next(b)
	if err != nil {
		return nil, err
	}
	if err := writeDurably(c.Folder, e.File, data); err != nil {
		return nil, err
	}
	c.Entries = append(c.Entries, *e)
	return e, nil
}

// Hold keeps everybody else from adding a block, until what it returns is closed, and makes sure that the
// chain is as it was when c was read. The error is a *GrownError, that of Read, or says that somebody
// else is at it.
func (c *Chain) Hold(plan string) (io.Closer, error) {
	if err := os.MkdirAll(c.Folder, 0o777); err != nil {
		return nil, err
	}
	held, err := os.OpenFile(filepath.Join(c.Folder, lockName), os.O_RDWR|os.O_CREATE, 0o666)
	if err != nil {
		return nil, err
	}
	if err := lock.Take(held, patience); err != nil {
		if errors.Is(err, lock.ErrHeld) {
			err = fmt.Errorf("somebody else is closing in %s right now; try again", c.Folder)
		}
		return nil, errors.Join(err, held.Close())
	}
	now, err := Read(c.Folder, plan)
	if err == nil && (len(now.Entries) != len(c.Entries) || len(c.Entries) > 0 && now.Last().Seal != c.Last().Seal) {
		err = &GrownError{c.Folder}
	}
	if err != nil {
		return nil, errors.Join(err, held.Close())
	}
	return held, nil
}

// writeDurably writes a file that is not there yet: under another name, down to the disk, and then with its
// name, down to the disk as well.
func writeDurably(folder, name string, data []byte) (err error) {
	file, err := os.CreateTemp(folder, ".block-*")
	if err != nil {
		return err
	}
	defer os.Remove(file.Name()) // which has another name in the end
	_, err = file.Write(data)
	if err = errors.Join(err, file.Sync(), file.Close()); err != nil {
		return fmt.Errorf("writing %s: %w", filepath.Join(folder, name), err)
	}
	path := filepath.Join(folder, name)
	if _, err := os.Lstat(path); err == nil {
		return fmt.Errorf("%s: %w", path, fs.ErrExist)
	}
	if err := os.Rename(file.Name(), path); err != nil {
		return err
	}
	return syncFolder(folder)
}

// syncFolder brings the names of a folder to the disk, on systems that can.
func syncFolder(folder string) error {
	dir, err := os.Open(folder)
	if err != nil {
		return err
	}
	_ = dir.Sync() // which some systems refuse for folders
	return dir.Close()
}
