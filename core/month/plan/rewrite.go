package plan

import (
	"bytes"
	"slices"
	"strconv"
	"strings"
)

// Rewriting changes texts of a plan in place: comments, order and all else stay as they are.
type Rewriting struct {
	plan  *Plan
	data  []byte // of the plan
	edits []edit
}

type edit struct {
	span
	text string // with its quotes
}

// Rewrite begins to change a plan, which Parse has made of data.
func (p *Plan) Rewrite(data []byte) *Rewriting { return &Rewriting{plan: p, data: data} }

// Set gives the i-th text of an entry another value.
func (r *Rewriting) Set(e *Entry, i int, text string) {
	at := r.plan.spans[e.Place][i]
	r.edits = append(r.edits, edit{at, quoted(text, r.data[at.start] == '\'')})
}

// quoted writes a text as TOML has it; literal says that nothing in it is to be escaped where that can be had.
func quoted(text string, literal bool) string {
	if (literal || strings.Contains(text, `\`)) && !strings.ContainsAny(text, "'\n\r") {
		return "'" + text + "'"
	}
	return strconv.Quote(text)
}

// Bytes are the plan with all changes.
func (r *Rewriting) Bytes() []byte {
	slices.SortFunc(r.edits, func(a, b edit) int { return a.start - b.start })
	var out bytes.Buffer
	from := 0
	for _, e := range r.edits {
		out.Write(r.data[from:e.start])
		out.WriteString(e.text)
		from = e.end
	}
	out.Write(r.data[from:])
	return out.Bytes()
}
