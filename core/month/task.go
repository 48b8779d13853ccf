package month

import (
	"slices"

	"lastblock/core/option"
)

// Task is one part of a month end, as a plan or a command line asks for it.
type Task interface {
	Name() string         // of its command, and of its table in a plan
	Sources() *Reading    // what it reads
	Options() option.List // its own, besides those of its reading
}

// kind is a kind of task.
type kind struct {
	make    func() Task
	several bool // a plan may have several tables of it, each of which makes a result with a name
	shared  bool // takes part in the one reading of a month end, whose sources are read alike for all
	own     bool // may have sources of its own, apart from that reading
}

// kinds are all kinds of tasks, in the order of the work.
var kinds = []kind{
	{make: func() Task { return NewIntake() }},
	{make: func() Task { return NewGauge() }},
	{make: func() Task { return NewTieOut() }, shared: true},
	{make: func() Task { return NewDoubles() }, shared: true},
	{make: func() Task { return NewCollate() }, several: true, shared: true},
	{make: func() Task { return NewRollup() }, several: true, shared: true},
	{make: func() Task { return NewOverlay() }, several: true, own: true},
	{make: func() Task { return NewReconcile() }, several: true, shared: true},
	{make: func() Task { return NewAttach() }, several: true, shared: true},
	{make: func() Task { return NewAlign() }, several: true, shared: true},
	{make: func() Task { return NewSplit() }, several: true, shared: true},
	{make: func() Task { return NewProve() }},
	{make: func() Task { return NewClosing() }, shared: true},
	{make: func() Task { return NewReport() }, several: true, shared: true},
}

// MakesSeveral tells whether a plan may have several tables of a task, each of which makes a result.
func MakesSeveral(t Task) bool {
	return slices.ContainsFunc(kinds, func(k kind) bool { return k.several && k.make().Name() == t.Name() })
}

// Tasks are all tasks with what is usual, in the order of the work.
func Tasks() []Task {
	all := make([]Task, len(kinds))
	for i, k := range kinds {
		all[i] = k.make()
	}
	return all
}

// AllOptions are a task's own options and those of its reading.
func AllOptions(t Task) option.List { return append(t.Options(), t.Sources().Options()...) }
