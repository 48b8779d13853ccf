package placing

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"sort"
	"strings"
	"syscall"
	"time"

	"lastblock/core/finding/lock"
)

// world is a disk in memory that knows what of it was flushed. Power cuts forget any part of the rest: names of one
// folder and bytes of files come back in any combination of what was flushed and what was not.
type world struct {
	folders map[string]*folder
	clock   time.Time
}

// folder is what the names of a folder are, what they are on the disk, and what leads from one to the other.
type folder struct {
	names, flushed map[string]*node
	pending        []change
}

// change is a call that changes names, all of which it changes at once.
type change map[string]*node // nil for a name that is gone

type node struct {
	kind          fs.FileMode
	data, flushed []byte
	time          time.Time
	holder        *process
}

func newWorld(folders ...string) *world {
	w := &world{make(map[string]*folder), time.Unix(1_930_000_000, 0)}
	w.folders["/"] = &folder{make(map[string]*node), make(map[string]*node), nil}
	for _, f := range folders {
		if err := (&process{world: w, stopAt: -1}).Mkdir(f); err != nil {
			panic(err)
		}
	}
	w.flushAll()
	return w
}

func (f *folder) apply(c change) {
	f.pending = append(f.pending, c)
	change.on(c, f.names)
}

func (c change) on(names map[string]*node) {
	for name, n := range c {
		if n == nil {
			delete(names, name)
		} else {
			names[name] = n
		}
	}
}

func (f *folder) flush() {
	for _, c := range f.pending {
		c.on(f.flushed)
	}
	f.pending = nil
}

func (w *world) flushAll() {
	for _, f := range w.folders {
		f.flush()
		for _, n := range f.names {
			n.flushed = bytes.Clone(n.data)
		}
	}
}

// unflushed is how many changes and files a power cut may forget.
func (w *world) unflushed() (n int) {
	for _, f := range w.folders {
		n += len(f.pending)
	}
	return n + len(w.dirty())
}

func (w *world) paths() []string {
	var all []string
	for path := range w.folders {
		all = append(all, path)
	}
	sort.Strings(all)
	return all
}

func (w *world) dirty() (files []*node) {
	for _, path := range w.paths() {
		f := w.folders[path]
		var names []string
		for name := range f.names {
			names = append(names, name)
		}
		sort.Strings(names)
		for _, name := range names {
			if n := f.names[name]; !bytes.Equal(n.data, n.flushed) && !slices.Contains(files, n) {
				files = append(files, n)
			}
		}
	}
	return files
}

// cut forgets what was not flushed, but what forget says to be on the disk by chance.
func (w *world) cut(isKept func(i int) bool) {
	i := 0
	next := func() bool { i++; return isKept(i - 1) }
	for _, n := range w.dirty() {
		if !next() {
			n.data = bytes.Clone(n.flushed)
		}
		n.flushed = bytes.Clone(n.data)
	}
	for _, path := range w.paths() {
		f := w.folders[path]
		for _, c := range f.pending {
			if next() {
				c.on(f.flushed)
			}
		}
		f.pending = nil
		f.names = make(map[string]*node)
		change(f.flushed).on(f.names)
	}
	for _, path := range w.paths() { // a folder whose removal was forgotten is there, and empty
		for name, n := range w.folders[path].names {
			if at := filepath.Join(path, name); n.kind.IsDir() && w.folders[at] == nil {
				w.folders[at] = &folder{make(map[string]*node), make(map[string]*node), nil}
			}
		}
	}
	for _, path := range w.paths() { // what lies in a folder that was forgotten is gone
		if path != "/" && w.at(path) == nil {
			delete(w.folders, path)
		}
	}
}

func (w *world) at(path string) *node {
	f := w.folders[filepath.Dir(path)]
	if f == nil {
		return nil
	}
	return f.names[filepath.Base(path)]
}

func (w *world) put(path, text string) {
	n := &node{data: []byte(text), flushed: []byte(text), time: w.tick()}
	f := w.folders[filepath.Dir(path)]
	f.apply(change{filepath.Base(path): n})
	f.flush()
}

func (w *world) tick() time.Time {
	w.clock = w.clock.Add(time.Second)
	return w.clock
}

// text is what a file holds, "-" for none.
func (w *world) text(path string) string {
	n := w.at(path)
	if n == nil {
		return "-"
	}
	return string(n.data)
}

// move gives a folder another name, with all that is below.
func (w *world) move(from, to string) {
	dir := w.folders[filepath.Dir(from)]
	dir.apply(change{filepath.Base(from): nil, filepath.Base(to): dir.names[filepath.Base(from)]})
	dir.flush()
	for _, path := range w.paths() {
		if path == from || strings.HasPrefix(path, from+"/") {
			w.folders[to+path[len(from):]] = w.folders[path]
			delete(w.folders, path)
		}
	}
}

// process is who uses a disk: until a call at which it is stopped, or one that fails.
type process struct {
	*world
	calls  int    // that change anything
	stopAt int    // the call that it does not come to any more; -1 for none
	failAt int    // the call that fails
	failed error  // how it does; nil for no failure
	fails  string // what fails behind it: "all", "renames", or "" for nothing
	noLink bool   // the file system has no links
	dead   bool
}

var errStopped = errors.New("the process is no more")

// step counts a call that changes something.
func (p *process) step() error {
	if p.dead {
		return errStopped
	}
	p.calls++
	if p.stopAt >= 0 && p.calls > p.stopAt {
		p.dead = true
		return errStopped
	}
	if p.failed != nil && (p.calls-1 == p.failAt || p.fails == "all" && p.calls-1 > p.failAt) {
		return p.failed
	}
	return nil
}

func (p *process) Now() time.Time        { return p.clock }
func (p *process) Sleep(d time.Duration) { p.clock = p.clock.Add(d) }

func (p *process) change(path string, c change) error {
	f := p.folders[filepath.Dir(path)]
	if f == nil {
		return fs.ErrNotExist
	}
	f.apply(c)
	return nil
}

func (p *process) OpenFile(name string, flag int, _ fs.FileMode) (File, error) {
	if p.dead {
		return nil, errStopped
	}
	n := p.at(name)
	switch {
	case n == nil && flag&os.O_CREATE == 0:
		return nil, fs.ErrNotExist
	case n != nil && flag&os.O_EXCL != 0:
		return nil, fs.ErrExist
	case n == nil:
		if err := p.step(); err != nil {
			return nil, err
		}
		n = &node{time: p.tick()}
		if err := p.change(name, change{filepath.Base(name): n}); err != nil {
			return nil, err
		}
	case n.kind != 0:
		return nil, errors.New("it is no file")
	}
	if flag&os.O_TRUNC != 0 {
		n.data = nil
	}
	return &handle{p, n, name, 0}, nil
}

func (p *process) Lstat(name string) (fs.FileInfo, error) {
	if p.dead {
		return nil, errStopped
	}
	if n := p.at(name); n != nil {
		return &info{filepath.Base(name), n, int64(len(n.data)), n.time}, nil
	}
	return nil, fs.ErrNotExist
}

func (p *process) Readlink(name string) (string, error) { return p.text(name), nil }

func (p *process) Names(folder string) (names []string, err error) {
	f := p.folders[folder]
	if p.dead || f == nil {
		return nil, fs.ErrNotExist
	}
	for name := range f.names {
		names = append(names, name)
	}
	return names, nil
}

func (p *process) Link(name, more string) error {
	if p.noLink {
		return errors.ErrUnsupported
	}
	if err := p.step(); err != nil {
		return err
	}
	if p.at(more) != nil {
		return fs.ErrExist
	}
	return p.change(more, change{filepath.Base(more): p.at(name)})
}

func (p *process) Rename(from, to string) error {
	if err := p.step(); err != nil {
		return err
	}
	if p.fails == "renames" && p.calls > p.failAt {
		return p.failed
	}
	n := p.at(from)
	if n == nil {
		return fs.ErrNotExist
	}
	if n == p.at(to) {
		return nil // as rename(2) has it
	}
	if filepath.Dir(from) != filepath.Dir(to) {
		return fmt.Errorf("%s is brought to another folder", from)
	}
	return p.change(to, change{filepath.Base(from): nil, filepath.Base(to): n})
}

func (p *process) Remove(name string) error {
	if err := p.step(); err != nil {
		return err
	}
	switch n := p.at(name); {
	case n == nil:
		return fs.ErrNotExist
	case n.kind.IsDir() && len(p.folders[name].names) > 0:
		return syscall.ENOTEMPTY
	}
	delete(p.folders, name)
	return p.change(name, change{filepath.Base(name): nil})
}

func (p *process) Mkdir(name string) error {
	if err := p.step(); err != nil {
		return err
	}
	if p.at(name) != nil {
		return fs.ErrExist
	}
	p.folders[name] = &folder{make(map[string]*node), make(map[string]*node), nil}
	return p.change(name, change{filepath.Base(name): {kind: fs.ModeDir}})
}

func (p *process) Flush(folder string) error {
	if err := p.step(); err != nil {
		return err
	}
	f := p.folders[folder]
	if f == nil {
		return fs.ErrNotExist
	}
	f.flush()
	return nil
}

func (p *process) FlushAll(string) error {
	if err := p.step(); err != nil {
		return err
	}
	p.flushAll()
	return nil
}

func (p *process) SameFile(a, b fs.FileInfo) bool { return a.(*info).node == b.(*info).node }

func (p *process) Lock(file File) error {
	h := file.(*handle)
	if p.dead {
		return errStopped
	}
	if other := h.node.holder; other != nil && other != p && !other.dead {
		return lock.ErrHeld
	}
	h.node.holder = p
	return nil
}

func (p *process) Real(folder string) (string, error) {
	if p.dead || p.folders[folder] == nil {
		return "", fs.ErrNotExist
	}
	return folder, nil
}

// handle is an open file.
type handle struct {
	p    *process
	node *node
	name string
	at   int
}

func (h *handle) Name() string { return h.name }

func (h *handle) Read(into []byte) (int, error) {
	if h.p.dead {
		return 0, errStopped
	}
	if h.at >= len(h.node.data) {
		return 0, io.EOF
	}
	n := copy(into, h.node.data[h.at:])
	h.at += n
	return n, nil
}

func (h *handle) Write(data []byte) (int, error) {
	if err := h.p.step(); err != nil {
		return 0, err
	}
	h.node.data = append(bytes.Clone(h.node.data[:h.at]), data...)
	h.at, h.node.time = len(h.node.data), h.p.tick()
	return len(data), nil
}

func (h *handle) Seek(to int64, _ int) (int64, error) {
	h.at = int(to)
	return to, nil
}

func (h *handle) Close() error { return nil }

func (h *handle) Stat() (fs.FileInfo, error) {
	return &info{filepath.Base(h.name), h.node, int64(len(h.node.data)), h.node.time}, nil
}

func (h *handle) Sync() error {
	if err := h.p.step(); err != nil {
		return err
	}
	h.node.flushed = bytes.Clone(h.node.data)
	return nil
}

func (h *handle) Truncate(size int64) error {
	if err := h.p.step(); err != nil {
		return err
	}
	h.node.data, h.node.time = bytes.Clone(h.node.data[:size]), h.p.tick()
	return nil
}

func (h *handle) Chmod(fs.FileMode) error { return h.p.step() }

type info struct {
	name string
	node *node
	size int64
	time time.Time
}

func (i *info) Name() string       { return i.name }
func (i *info) Size() int64        { return i.size }
func (i *info) Mode() fs.FileMode  { return i.node.kind }
func (i *info) ModTime() time.Time { return i.time }
func (i *info) IsDir() bool        { return i.node.kind.IsDir() }
func (i *info) Sys() any           { return nil }
