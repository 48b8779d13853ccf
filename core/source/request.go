package source

import (
	"context"
	"math"
	"runtime"
	"slices"
	"strconv"
	"strings"

	"lastblock/core/option"
	"lastblock/core/value/moved"
)

// Request is what is to be read, and how, in the words of a plan or a command line.
type Request struct {
	Prefix string // of the words of all options, as "against-" for those of a reference
	Looks  bool   // who reads the sources has to look at all of them first, see Set.Look

	Only    []string
	Skip    []string
	Recurse bool
	Columns string
	Manner  MannerRequest
	Memory  string
	Jobs    int

	Root   string // see Search.Root, as the next two
	Moved  moved.Moves
	Base   string
	Frozen []FrozenFile
	// KeepLocked is that of Search.
	KeepLocked bool
	Spellings  map[string][]string // see Search.Spellings
	Manners    []NamedManner       // for the files that a name matches; else Manner holds
}

// NewRequest is a request that leaves all to be found out.
func NewRequest() Request { return Request{Columns: string(AllColumns)} }

// Options are those of a request: which of the files found are read, and how they are written.
func (r *Request) Options() option.List {
	return append(option.List{
		{Word: "only", Value: &r.Only, Meaning: "of what is found, read only files whose name matches a pattern"},
		{Word: "skip", Value: &r.Skip, Meaning: "of what is found, leave out files whose name matches a pattern"},
		{Word: "recurse", Value: &r.Recurse, Meaning: "read what lies below a folder, too"},
		{Word: "columns", Value: &r.Columns,
			Meaning: "which columns are read: all, those shared by all sources, or strict: any difference is a " +
				"\"stop\" finding"},
		{Word: "memory", Value: &r.Memory, Meaning: "how much memory may be used, e.g. 512MB (a quarter of the " +
			"machine's)"},
		{Word: "jobs", Value: &r.Jobs, Meaning: "how many cores to use (all)"},
	}, r.Manner.Options()...)
}

// ReferenceOptions are the options of a second set of sources: all but those which say how
// much of the machine is used, each with the prefix before its word.
func (r *Request) ReferenceOptions() option.List {
	var list option.List
	for _, o := range r.Options() {
		if o.Word != "columns" && o.Word != "memory" && o.Word != "jobs" {
			o.Word = r.Prefix + o.Word
			list = append(list, o)
		}
	}
	return list
}

// Find finds the sources that paths name. Reading is with which means they are read; without
// a size in the request these are a quarter of the machine's memory.
func (r *Request) Find(ctx context.Context, paths []string, machine int64) (*Set, Reading, error) {
	reading := Reading{Jobs: r.Jobs, Memory: machine / 4, Progress: new(Progress)}
	if r.Jobs == 0 {
		reading.Jobs = runtime.GOMAXPROCS(0)
	}
	if r.Memory != "" {
		size, ok := parseSize(r.Memory)
		if !ok {
			return nil, reading, option.Errorf(r.Prefix+"memory", "%q is no size; write for example 256MB or 2GB",
				r.Memory)
		}
		reading.Memory = size
	}
	search := Search{
		Paths: paths, Recurse: r.Recurse, Only: r.Only, Skip: r.Skip, Jobs: reading.Jobs, Memory: reading.Memory,
		Root: r.Root, Moved: r.Moved, Base: r.Base, Frozen: r.Frozen,
		Prefix: r.Prefix, Manners: r.Manners, KeepLocked: r.KeepLocked,
		Mode: ColumnMode(r.Columns), Spellings: r.Spellings,
	}
	if !slices.Contains([]ColumnMode{AllColumns, SharedColumns, StrictColumns}, search.Mode) {
		return nil, reading, option.Errorf(r.Prefix+"columns", "%q is none of these: all, shared, strict", r.Columns)
	}
	if r.Looks {
		search.Early = reading.Memory
	}
	var err error
	if search.Manner, err = r.Manner.Manner(r.Prefix); err != nil {
		return nil, reading, err
	}
	set, err := Find(ctx, search)
	return set, reading, err
}

// parseSize reads a size such as 256MB, 1.5GB or 512 MiB into bytes. Units of a thousand and
// of 1,024 are both taken as 1,024.
func parseSize(text string) (bytes int64, ok bool) {
	trimmed := strings.ToUpper(strings.TrimSpace(text))
	number := strings.TrimRight(trimmed, "BIKMGT ")
	unit := strings.TrimSuffix(strings.TrimSuffix(strings.TrimSpace(trimmed[len(number):]), "B"), "I")
	shift, known := map[string]int{"": 0, "K": 10, "M": 20, "G": 30, "T": 40}[unit]
	value, err := strconv.ParseFloat(number, 64)
	size := value * math.Pow(2, float64(shift))
	if err != nil || !known || !(size >= 1 && size < math.MaxInt64) {
		return 0, false
	}
	return int64(size), true
}
