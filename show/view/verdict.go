package view

import (
	"fmt"

	"lastblock/core/month"
	"lastblock/core/source"
	"lastblock/show"
)

// The states of a tie-out.
const (
	agreed  = "agreed"
	failed  = "failed"
	partial = "partial"
)

func stateOf(v *month.Verdict) string {
	switch {
	case v.Failed():
		return failed
	case v.Partial:
		return partial
	}
	return agreed
}

// VerdictLine says in one line what the tie-out of a plan has come to; "" without one.
func VerdictLine(v *month.Verdict) string {
	if v == nil {
		return ""
	}
	line, part := source.VerdictLabel+" "+stateOf(v),
		fmt.Sprintf("%s of %s", show.Number(v.Sources), show.Count(v.Planned, "source"))
	switch {
	case v.Failed() && v.Partial:
		return fmt.Sprintf("%s, %s \"stop\" %s; partial, %s", line, show.Number(len(v.Stops)), findingsWord(v), part)
	case v.Failed():
		return fmt.Sprintf("%s, %s \"stop\" %s", line, show.Number(len(v.Stops)), findingsWord(v))
	case v.Partial:
		return line + ", " + part
	}
	return line
}

func findingsWord(v *month.Verdict) string {
	if len(v.Stops) == 1 {
		return "finding"
	}
	return "findings"
}

// Remark is what a result says of itself that was written although the tie-out failed; "" for
// nothing.
func Remark(v *month.Verdict) string {
	if !v.Failed() {
		return ""
	}
	return VerdictLine(v)
}

// PrintVerdict prints the line of a verdict, above the proof.
func PrintVerdict(s *show.Screen, v *month.Verdict) {
	if v != nil {
		fmt.Fprintf(s, "\n%s\n", s.Bold(VerdictLine(v)))
	}
}

// verdictObject is a verdict in JSON.
func verdictObject(v *month.Verdict) show.Object {
	o := show.Object{{Name: "state", Value: stateOf(v)}, {Name: "stops", Value: len(v.Stops)},
		{Name: "sources", Value: v.Sources}}
	if v.Partial {
		o.Add("planned", v.Planned)
	}
	return o
}

func addVerdict(d *show.DocumentWriter, v *month.Verdict) {
	if v != nil {
		d.Add("tieout", verdictObject(v))
	}
}
