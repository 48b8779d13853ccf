// Package block is the account that a close leaves behind: a block, which says what was read, what it came
// to and which results were made of it, and the chain of blocks, each of which names the one before it by
// its seal. Closing a month is for others; what a block is, how the chain is read, added to and checked
// against the files that it names, is said here.
//
// A block is a file of canonical JSON (RFC 8785), blocks/0003-2031-03.json, and its seal is the SHA-256
// (FIPS 180-4) of the bytes of that file. Amounts are exact decimals, written as strings.
package block

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"strconv"
	"strings"
	"time"
)

// Version is that of the blocks which this package writes. Those of earlier versions are read.
const Version = 3

// Block is the account of one close. Names of files are relative to the plan, with slashes, on every
// system.
type Block struct {
	Version  int    `json:"version"`
	Number   int    `json:"block"` // from 1
	Previous *Link  `json:"previous"`
	Period   string `json:"period"`

	Time    time.Time `json:"time"` // UTC, to the second
	User    string    `json:"user"`
	Program string    `json:"lastblock"` // the version of Lastblock

	Verdict  Verdict `json:"verdict"`
	Reason   string  `json:"reason,omitempty"`   // of a close that failed, or restates
	Restates int     `json:"restates,omitempty"` // the block that it takes the place of, 0 for none

	Plan       File        `json:"plan"`
	References []Reference `json:"references"`
	Decisions  Decisions   `json:"decisions"`
	Figures    File        `json:"figures"`           // rows and totals by source
	Records    *File       `json:"records,omitempty"` // where they are retained
	Pack       *File       `json:"pack,omitempty"`    // what the checks came to; blocks of version 1 have none

	// Sources are those that stand in no earlier block as they are; Earlier says which blocks have the others, and what
	// else of them holds on. Sources stand in the block itself up to mostSources of them; of more, and beside that of
	// all, the figures say the same. Blocks of versions 1 and 2 have all sources themselves.
	Sources     []Source   `json:"sources"`
	Earlier     []Earlier  `json:"earlier"`
	SourceCount int        `json:"source_count"` // of these and those of earlier blocks
	Layouts     [][]string `json:"layouts"`      // columns that sources have, each once
	Later       []string   `json:"later"`        // sources of later periods, which were not read

	Rows     int       `json:"rows"`
	Totals   []Total   `json:"totals"`
	Proof    Proof     `json:"proof"`
	Findings []Finding `json:"findings"`
	Results  []Result  `json:"results"`
	// Bridges lead from the figures of a block before to those of this one.
	Bridges []Bridge `json:"bridges"`

	// Body is the SHA-256 of the canonical block without this member, so that the newest block, which no
	// other one names, is known to be as it was written.
	Body string `json:"body,omitempty"`
}

// Verdict is what all checks of a close have come to.
type Verdict string

// The verdicts.
const (
	Passed Verdict = "passed"
	Failed Verdict = "failed" // and sealed all the same, with a reason
)

// Link names the block before.
type Link struct {
	Number int    `json:"block"`
	Seal   string `json:"seal"`
}

// File is a file that a block seals.
type File struct {
	Name   string `json:"name"`
	SHA256 string `json:"sha256"`
}

// Reference is a file beside the sources that was read, or what a database gave to a query.
type Reference struct {
	File
	Query       string `json:"query,omitempty"`
	Fingerprint string `json:"fingerprint,omitempty"`
}

// Decisions are how many lines the file of decisions had, and the seal of the last one.
type Decisions struct {
	Lines int    `json:"lines"`
	Seal  string `json:"seal"`
}

// Source is a source that was read. What a database gave has no SHA-256, but the query that it was
// asked.
type Source struct {
	File
	Source      string  `json:"source"`       // as results call it, with the entry or sheet of its file
	Of          string  `json:"of,omitempty"` // the result whose form it is; "" for a source that all results share
	Query       string  `json:"query,omitempty"`
	Size        int64   `json:"size"`
	Entity      string  `json:"entity,omitempty"`
	Period      string  `json:"period,omitempty"`
	Layout      int     `json:"layout"`      // place of its columns in Layouts, from 1
	Fingerprint string  `json:"fingerprint"` // of its records, see source.Fingerprints
	Rows        int     `json:"rows"`
	Totals      []Total `json:"totals"`

	// Retained is the block that has retained its records, 0 for none, and States the fingerprint of what became of
	// these, of a source whose records were ever retained.
	Retained int    `json:"retained,omitempty"`
	States   string `json:"states,omitempty"`
}

// mostSources is how many sources a block lists itself.
const mostSources = 10_000

// Total is a total of a column, an exact decimal.
type Total struct {
	Column string `json:"column"`
	Amount string `json:"amount"`
}

// Proof is the proof of all that was read: read = used + suspense + dropped.
type Proof struct {
	Read     int `json:"read"`
	Used     int `json:"used"`
	Suspense int `json:"suspense"`
	Dropped  int `json:"dropped"`
}

// Finding is a finding as it stood, with what was decided about it.
type Finding struct {
	ID       string `json:"id"`
	Kind     string `json:"kind"`
	Severity string `json:"severity"`
	Source   string `json:"source,omitempty"`
	State    string `json:"state"`
	Decision string `json:"decision,omitempty"` // its reason, "" where it is open
}

// Result is a result that was made.
type Result struct {
	File
	Command string `json:"command"`
	Title   string `json:"title,omitempty"` // its name in the plan
	// As is what the file is beside the result, as "corrected"; "" for the result itself.
	As string `json:"as,omitempty"`
	// By are the columns of its groups, of a summary.
	By     []string `json:"by,omitempty"`
	Rows   int      `json:"rows"`
	Totals []Total  `json:"totals"`
}

// Bridge leads from a figure of a block before to what it is now; its lines foot.
type Bridge struct {
	Since  int          `json:"since"` // the block
	Result string       `json:"result"`
	Column string       `json:"column"`
	Group  []Word       `json:"group"`
	Lines  []BridgeLine `json:"lines"`
}

// BridgeLine is a line of a bridge.
type BridgeLine struct {
	Label  string `json:"label"`
	Source string `json:"source,omitempty"`
	Amount string `json:"amount"` // an exact decimal
}

// Name is what the file of a block is called.
func Name(number int, period string) string { return fmt.Sprintf("%04d-%s.json", number, period) }

// SealOf is the seal of the bytes of a block.
func SealOf(data []byte) string {
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:])
}

// Short writes the first twelve digits of a seal in groups of four, for people to compare.
func Short(seal string) string {
	const group, most = 4, 12
	var parts []string
	for at := 0; at+group <= min(most, len(seal)); at += group {
		parts = append(parts, seal[at:at+group])
	}
	return strings.Join(parts, " ")
}

// Encode writes a block as canonical JSON, with its body.
func (b *Block) Encode() ([]byte, error) {
	whole := *b
	whole.Time = b.Time.UTC().Truncate(time.Second)
	whole.Body = ""
	whole.SourceCount = len(b.Sources) + b.countEarlier()
	if len(b.Sources) > mostSources {
		whole.Sources = nil
	}
	if whole.Earlier == nil {
		whole.Earlier = []Earlier{}
	}
	if whole.Sources == nil {
		whole.Sources = []Source{}
	}
	if whole.Bridges == nil {
		whole.Bridges = []Bridge{}
	}
	if whole.Later == nil {
		whole.Later = []string{}
	}
	if whole.Layouts == nil {
		whole.Layouts = [][]string{}
	}
	all, err := whole.members()
	if err != nil {
		return nil, err
	}
	all[bodyMember] = strconv.AppendQuote(nil, SealOf(all.object()))
	return all.object(), nil
}

// bodyMember is the name of Block.Body.
const bodyMember = "body"
