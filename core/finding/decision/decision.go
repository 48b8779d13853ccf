// Package decision keeps what somebody has decided about findings: a file to
// which lines are only ever appended, each sealed together with the one before
// it, so that nobody can change a decision unseen.
package decision

import (
	"bytes"
	"crypto/sha256"
	"encoding/csv"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"lastblock/core/finding"
	"lastblock/core/finding/lock"
)

// Verdict is what was decided.
type Verdict string

// The verdicts.
const (
	Accept Verdict = "accept" // the finding is known, and stops nothing any more
	Reopen Verdict = "reopen" // an earlier decision does not count any more
	Keep   Verdict = "keep"   // what looks like a double is none, or is to be counted all the same
	Drop   Verdict = "drop"   // some of the files or records are left out from now on
)

// What is written down beside decisions about findings, so that it is sealed as they are.
const (
	Relocate Verdict = "relocate" // sources lie elsewhere: Source is the path before, State the one now
	Freeze   Verdict = "freeze"   // the records of an entity, which Source names, are kept and its files not read
	Unfreeze Verdict = "unfreeze"
)

// IsAboutFinding tells whether a decision is about a finding.
func (v Verdict) IsAboutFinding() bool { return v != Relocate && v != Freeze && v != Unfreeze }

// Decision is one line of the file.
type Decision struct {
	Time    time.Time // of the decision, to the second
	User    string
	Verdict Verdict
	Reason  string
	ID      string // of the finding, and what it said then:
	Kind    finding.Kind
	Source  string
	Line    int
	Amount  string
	State   string // that of the finding
	Dropped []Dropped
}

// Dropped is a file or a record that is left out.
type Dropped struct {
	Source string `json:"source"`
	Sheet  string `json:"sheet,omitempty"`
	Line   int    `json:"line,omitempty"` // 0 for the whole file
	Print  string `json:"print"`          // what stands there, as finding.Place has it
}

// About makes a decision about a finding. What is left out, for Drop, is added by
// the caller.
func About(f *finding.Finding, verdict Verdict, reason, user string, now time.Time) Decision {
	amount, _ := f.Money()
	return Decision{
		Time: now, User: user, Verdict: verdict, Reason: reason,
		ID: f.ID, Kind: f.Kind, Source: f.Source, Line: f.Line, Amount: amount, State: f.State,
	}
}

// Columns are the columns of the file. The seal is the beginning of the SHA-256
// of the line before, seal included, and the line up to its seal.
var Columns = []string{"time", "user", "decision", "reason", "id", "kind", "source", "line", "amount", "state",
	"dropped", "seal"}

// BrokenError is a file of decisions that is not as it was written.
type BrokenError struct {
	Path   string
	Line   int // on which the record starts that is broken
	Reason string
}

func (e *BrokenError) Error() string {
	return fmt.Sprintf("%s line %d: %s; nothing was changed. Put the file back as it was, from a copy or by taking "+
		"off what was added, and decide again", e.Path, e.Line, e.Reason)
}

// verbs say what became of a finding.
var verbs = map[Verdict]string{Accept: "accepted", Keep: "kept"}

// Add takes a decision in that is not in a file.
func (l *Log) Add(d Decision) {
	if l.last == nil {
		l.last = make(map[string]int)
	}
	l.last[d.ID] = len(l.Decisions)
	l.Decisions = append(l.Decisions, d)
}

// First are the first decisions, n of them.
func (l *Log) First(n int) *Log {
	first := new(Log)
	if l != nil {
		for _, d := range l.Decisions[:min(n, len(l.Decisions))] {
			first.Add(d)
		}
	}
	return first
}

// Seal is how many decisions there are, and the seal of the last one.
func (l *Log) Seal() (lines int, seal string) {
	if l == nil {
		return 0, ""
	}
	return len(l.Decisions), l.seal
}

// SealAt is the seal that the line of a decision had, by its number from 1; "" for none.
func (l *Log) SealAt(line int) string {
	if l == nil || line < 1 || line > len(l.seals) {
		return ""
	}
	return l.seals[line-1]
}

// DecidedSince tells whether something was decided about findings behind the first n lines, or these are not there.
func (l *Log) DecidedSince(n int) bool {
	lines, _ := l.Seal()
	return lines < n || lines > n && slices.ContainsFunc(l.Decisions[n:], func(d Decision) bool {
		return d.Verdict.IsAboutFinding()
	})
}

// Current are the decisions that no later one has replaced.
func (l *Log) Current() []Decision {
	if l == nil {
		return nil
	}
	var current []Decision
	for i, d := range l.Decisions {
		if l.last[d.ID] == i {
			current = append(current, d)
		}
	}
	return current
}

// Log is all that was decided.
type Log struct {
	Decisions []Decision // in the order in which they were made
	last      map[string]int
	seal      string   // of the last line
	seals     []string // of each
	size      int64
	hasHeader bool
}

// Read reads a file of decisions; one that is not there has none. The error is
// a *BrokenError, or what reading returned.
func Read(path string) (*Log, error) {
	data, err := os.ReadFile(path)
	if errors.Is(err, fs.ErrNotExist) {
		return &Log{}, nil
	}
	if err != nil {
		return nil, err
	}
	return parse(path, data)
}

// parse reads a file of decisions. A byte-order mark in front, blank lines and lines that
// end in CR LF, as spreadsheet programs leave them, say nothing else than what was
// written, and are read; what else was changed breaks a seal.
func parse(path string, data []byte) (*Log, error) {
	log := &Log{size: int64(len(data))}
	rest := bytes.TrimPrefix(data, []byte("\ufeff"))
	for line := 1; len(rest) > 0; {
		fail := func(reason string) (*Log, error) { return nil, &BrokenError{path, line, reason} }
		raw, fields, err := takeLine(rest)
		if err != nil {
			return fail("this line is torn or was edited, and cannot be read as a decision")
		}
		switch {
		case fields == nil: // a blank line
		case raw[len(raw)-1] != '\n':
			return fail("the last line is torn: it does not end")
		case !log.hasHeader:
			if !slices.Equal(fields, Columns) {
				return fail(fmt.Sprintf("the header is not that of a file of decisions, which is %s",
					strings.Join(Columns, ",")))
			}
			log.hasHeader = true
		default:
			body, seal := withoutSeal(raw, fields)
			if sealOf(log.seal, body) != seal {
				return fail("this line, or one before it, was edited or taken out: its seal does not fit")
			}
			d, err := decisionOf(fields)
			if err != nil {
				return fail(err.Error())
			}
			log.seal, log.seals = seal, append(log.seals, seal)
			log.Add(d)
		}
		line += bytes.Count(raw, []byte("\n"))
		rest = rest[len(raw):]
	}
	return log, nil
}

// takeLine takes the next line, which goes on where a quoted text does. A blank line has
// no fields.
func takeLine(data []byte) (raw []byte, fields []string, err error) {
	if end := bytes.IndexByte(data, '\n') + 1; len(bytes.TrimSpace(data[:max(end, 0)])) == 0 && end > 0 {
		return data[:end], nil, nil
	}
	if len(bytes.TrimSpace(data)) == 0 {
		return data, nil, nil
	}
	reader := csv.NewReader(bytes.NewReader(data))
	reader.FieldsPerRecord = len(Columns)
	if fields, err = reader.Read(); err != nil {
		return nil, nil, err
	}
	return data[:reader.InputOffset()], fields, nil
}

// withoutSeal takes the seal off the end of a line.
func withoutSeal(raw []byte, fields []string) (body []byte, seal string) {
	seal = fields[len(fields)-1]
	body = bytes.TrimSuffix(bytes.TrimRight(raw, "\r\n"), []byte(seal))
	return bytes.ReplaceAll(body, []byte("\r\n"), []byte("\n")), seal // a reason may have several lines
}

// sealOf seals a line, behind the seal of the line before.
func sealOf(before string, body []byte) string {
	const size = 8 // bytes
	sum := sha256.Sum256(append([]byte(before+"\n"), body...))
	return hex.EncodeToString(sum[:size])
}

func decisionOf(fields []string) (Decision, error) {
	at, err := time.Parse(time.RFC3339, fields[0])
	if err != nil {
		return Decision{}, fmt.Errorf("%q is no time", fields[0])
	}
	line := 0
	if fields[7] != "" {
		if line, err = strconv.Atoi(fields[7]); err != nil {
			return Decision{}, fmt.Errorf("%q is no line", fields[7])
		}
	}
	var dropped []Dropped
	if fields[10] != "" {
		if err := json.Unmarshal([]byte(fields[10]), &dropped); err != nil {
			return Decision{}, fmt.Errorf("%q is no list of what is left out", fields[10])
		}
	}
	return Decision{
		Dropped: dropped,
		Time:    at, User: fields[1], Verdict: Verdict(fields[2]), Reason: fields[3], ID: fields[4],
		Kind: finding.Kind(fields[5]), Source: fields[6], Line: line, Amount: fields[8], State: fields[9],
	}, nil
}

// patience is how long somebody who decides waits for another one to have decided.
const patience = 5 * time.Second

// Appending is a file of decisions to which nobody else adds until it is closed.
type Appending struct {
	Path string // without links
	file *os.File
	log  *Log
}

// Append takes a file of decisions, so that some may be added to it; it waits for whoever else does so. The error is a
// *BrokenError, or says that somebody else is at it.
func Append(path string) (*Appending, error) {
	if real, err := filepath.EvalSymlinks(path); err == nil {
		path = real
	}
	for {
		file, err := os.OpenFile(path, os.O_RDWR|os.O_CREATE, 0o666)
		if err != nil {
			return nil, err
		}
		a := &Appending{Path: path, file: file}
		err = lock.Take(file, patience)
		if errors.Is(err, lock.ErrHeld) {
			err = fmt.Errorf("somebody else is deciding in %s right now; try again", path)
		}
		if err != nil {
			return nil, errors.Join(err, file.Close())
		}
		if !lock.IsThere(file, path) { // who had it before has taken an empty file away
			file.Close()
			continue
		}
		data, err := io.ReadAll(file)
		if err == nil {
			a.log, err = parse(path, data)
		}
		if err != nil {
			return nil, errors.Join(err, a.Close())
		}
		return a, nil
	}
}

// Size is how many bytes the file has.
func (a *Appending) Size() int64 { return a.log.size }

// Lines are what is to be written behind those, for decisions.
func (a *Appending) Lines(decisions []Decision) ([]byte, error) { return a.log.linesOf(decisions) }

// Close gives the file back. One in which nothing was decided is taken away.
func (a *Appending) Close() error {
	if info, err := a.file.Stat(); err == nil && info.Size() == 0 && lock.IsThere(a.file, a.Path) {
		os.Remove(a.Path) // which Windows does not do to an open file; an empty one does no harm
	}
	return a.file.Close()
}

// linesOf are the lines that are to stand behind those of a log.
func (l *Log) linesOf(decisions []Decision) ([]byte, error) {
	var out bytes.Buffer
	if len(l.Decisions) == 0 && !l.hasHeader {
		out.WriteString(strings.Join(Columns, ",") + "\n")
	}
	seal := l.seal
	for _, d := range decisions {
		body, err := bodyOf(d)
		if err != nil {
			return nil, err
		}
		seal = sealOf(seal, body)
		out.Write(body)
		out.WriteString(seal + "\n")
	}
	return out.Bytes(), nil
}

// lineBreaks makes line breaks of one kind, as whoever reads CSV does within quotes: what is
// read must be what was sealed.
var lineBreaks = strings.NewReplacer("\r\n", "\n", "\r", "\n")

// bodyOf writes a line up to its seal.
func bodyOf(d Decision) ([]byte, error) {
	line := ""
	if d.Line > 0 {
		line = strconv.Itoa(d.Line)
	}
	dropped := ""
	if len(d.Dropped) > 0 {
		data, err := json.Marshal(d.Dropped)
		if err != nil {
			return nil, err
		}
		dropped = string(data)
	}
	var out bytes.Buffer
	w := csv.NewWriter(&out)
	err := w.Write([]string{
		d.Time.UTC().Format(time.RFC3339), lineBreaks.Replace(d.User), string(d.Verdict), lineBreaks.Replace(d.Reason),
		d.ID, string(d.Kind),
		lineBreaks.Replace(d.Source), line, lineBreaks.Replace(d.Amount), d.State, dropped, "",
	})
	w.Flush()
	if err := errors.Join(err, w.Error()); err != nil {
		return nil, err
	}
	return bytes.TrimSuffix(out.Bytes(), []byte("\n")), nil
}

// Of returns the last decision about a finding. A nil log has none.
func (l *Log) Of(id string) (Decision, bool) {
	if l == nil {
		return Decision{}, false
	}
	at, ok := l.last[id]
	if !ok {
		return Decision{}, false
	}
	return l.Decisions[at], true
}

// Has tells whether the last decision about a finding says the same as another one.
func (l *Log) Has(d Decision) bool {
	last, ok := l.Of(d.ID)
	return ok && last.Verdict == d.Verdict && last.Reason == lineBreaks.Replace(d.Reason) && last.State == d.State &&
		slices.Equal(last.Dropped, d.Dropped)
}

// Settle marks a finding that was accepted. Where it has changed since, the
// decision does not hold, and the finding says so.
func (l *Log) Settle(f *finding.Finding) {
	d, ok := l.Of(f.ID)
	if !ok || d.Verdict == Reopen {
		return
	}
	if d.State == f.State {
		f.Accepted = d.Reason
		return
	}
	if d.Verdict == Drop {
		return // what is left out is told where it is, and this is about what is left
	}
	f.Lapsed = fmt.Sprintf(verbs[d.Verdict]+" by %s on %s (%s), and changed since, so that does not hold any more",
		d.User, d.Time.Format(time.DateOnly), d.Reason)
	if amount, _ := f.Money(); d.Amount != "" && d.Amount != amount {
		f.Lapsed += "; it was " + d.Amount
	}
}
