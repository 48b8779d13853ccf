package doubles

import (
	"fmt"
	"slices"
	"strings"

	"lastblock/core/finding"
	"lastblock/core/finding/drop"
)

// Policy says which of several doubles is proposed to be kept.
type Policy string

// The policies.
const (
	First   Policy = "first"        // in the order of sources and lines
	Last    Policy = "last"         //
	Newest  Policy = "newest-file"  // of the file that was changed last
	Largest Policy = "largest-file" // of the source with the most records
	None    Policy = "none"         // none of them: somebody has to look at all
)

var policies = []Policy{First, Last, Newest, Largest, None}

// ParsePolicy reads a policy.
func ParsePolicy(text string) (Policy, error) {
	if slices.Contains(policies, Policy(text)) {
		return Policy(text), nil
	}
	var words []string
	for _, p := range policies {
		words = append(words, string(p))
	}
	return "", fmt.Errorf("%q: it is %s", text, strings.Join(words, ", "))
}

// winner is the one of some sources, in their order, that a policy keeps; without
// one, and with None, it is the first.
func (s *search) winner(sources []int) int {
	best := sources[0]
	for _, index := range sources[1:] {
		better := false
		switch s.options.Keep {
		case Last:
			better = true
		case Newest:
			better = s.set.Sources[index].Changed().After(s.set.Sources[best].Changed())
		case Largest:
			better = s.isLarger(index, best)
		}
		if better {
			best = index
		}
	}
	return best
}

// proposal is the set of what is left out. What was to be left out anyway is in
// it from the start.
func (s *search) proposal() *Proposal {
	p := &s.report.proposed
	if p.Drop == nil {
		if p.Drop = s.options.Drop; p.Drop == nil {
			p.Drop = new(drop.Set)
		}
	}
	return p
}

// proposeFiles proposes to keep one of some sources as a whole.
func (s *search) proposeFiles(kind finding.Kind, sources []int) {
	if s.options.Keep == "" {
		return
	}
	keep := s.winner(sources)
	for _, index := range sources {
		if index != keep || s.options.Keep == None {
			s.proposeFile(kind, index)
		}
	}
}

// proposeContained proposes to leave a source out whose records stand in others,
// unless one of these is left out itself, and not because another one is like it.
func (s *search) proposeContained(index int) {
	if s.options.Keep == "" {
		return
	}
	for _, other := range s.sources[index].contained {
		reason, whole := s.proposal().Drop.Of(s.set.Sources[other].Name).Whole()
		if whole && reason.Kind != finding.SameFile {
			return
		}
	}
	s.proposeFile(finding.ContainedFile, index)
}

func (s *search) proposeFile(kind finding.Kind, index int) {
	p, name := s.proposal(), s.set.Sources[index].Name
	if _, whole := p.Drop.Of(name).Whole(); whole {
		return
	}
	p.Drop.File(name, drop.Reason{Kind: kind})
	p.Sources++
	p.Records += s.sources[index].records
}

// proposeRecord proposes to leave a record out, unless its source is left out
// anyway.
func (s *search) proposeRecord(kind finding.Kind, m *member) {
	p, index := s.proposal(), m.place.Source()
	of, name := &s.sources[index], s.set.Sources[index].Name
	if _, whole := p.Drop.Of(name).Whole(); whole {
		return
	}
	line, reason := m.place.Line(), drop.Reason{Kind: kind}
	if of.crowded {
		p.Drop.Record(name, line, m.print, reason)
	} else {
		if p.Drop.Of(name).HasLine(line) {
			return
		}
		p.Drop.Line(name, line, reason)
	}
	p.Records++
}

// isProposed tells whether a record is proposed to be left out.
func (s *search) isProposed(m *member) bool {
	if s.report.proposed.Drop == nil {
		return false
	}
	of := s.report.proposed.Drop.Of(s.set.Sources[m.place.Source()].Name)
	_, whole := of.Whole()
	return whole || of.HasLine(m.place.Line())
}
