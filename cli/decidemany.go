package cli

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"os"
	"slices"
	"strings"

	"lastblock/core/finding"
	"lastblock/core/finding/decision"
	"lastblock/core/option"
	"lastblock/core/value/nearest"
	"lastblock/show"

	"github.com/bmatcuk/doublestar/v4"
	"golang.org/x/term"
)

// isMany tells whether findings are named by what they are about, and not by their ids.
func (f *deciding) isMany() bool { return len(f.kinds)+len(f.sources) > 0 }

// selectMany finds the findings of some kinds and sources: those that are open, or to reopen them those
// that were decided.
func (a *app) selectMany(ctx context.Context, f *deciding, verdict decision.Verdict) ([]finding.Finding, error) {
	var kinds []string
	for _, k := range finding.Kinds() {
		kinds = append(kinds, string(k))
	}
	for _, kind := range f.kinds {
		if !slices.Contains(kinds, kind) {
			return nil, option.Errorf("kind", "%w", nearest.Unknown("kind of finding", kind, kinds))
		}
	}
	for _, pattern := range f.sources {
		if !doublestar.ValidatePattern(pattern) {
			return nil, option.Errorf("source", "%q is no pattern", pattern)
		}
	}
	have, err := a.found(ctx, f)
	if err != nil {
		return nil, err
	}
	have = slices.DeleteFunc(have, func(found finding.Finding) bool {
		return (found.Accepted != "") != (verdict == decision.Reopen) || found.Rest
	})
	var selected []finding.Finding
	for i := range have {
		if f.isAbout(&have[i]) {
			selected = append(selected, have[i])
		}
	}
	if len(selected) > 0 {
		return selected, nil
	}
	state := "open"
	if verdict == decision.Reopen {
		state = "decided"
	}
	return nil, fmt.Errorf("no %s finding is of this kind and source%s", state, haveKinds(have))
}

func (f *deciding) isAbout(found *finding.Finding) bool {
	return (f.kinds == nil || slices.Contains(f.kinds, string(found.Kind))) && (f.sources == nil ||
		slices.ContainsFunc(f.sources, func(pattern string) bool {
			return doublestar.MatchUnvalidated(pattern, found.Source)
		}))
}

// haveKinds says of which kinds there are findings.
func haveKinds(have []finding.Finding) string {
	var kinds []string
	for i := range have {
		if kind := string(have[i].Kind); !slices.Contains(kinds, kind) {
			kinds = append(kinds, kind)
		}
	}
	if kinds == nil {
		return "; run tieout or doubles first, or say where to look with --plan or --findings FILE"
	}
	slices.Sort(kinds)
	return "\nthere is: " + strings.Join(kinds, ", ")
}

// confirm lists findings, and asks whether they are meant. Where nobody can be asked, nothing is
// decided.
func (a *app) confirm(verdict decision.Verdict, findings []finding.Finding) error {
	for i := range findings {
		show.Decided(a.stderr, string(verdict), &findings[i])
	}
	all := show.Count(len(findings), "finding")
	in, isFile := a.stdin.(*os.File)
	if !isFile || !term.IsTerminal(int(in.Fd())) || !a.stderr.Terminal {
		return fmt.Errorf("these are %s; nothing was decided yet: --yes decides about all of them", all)
	}
	fmt.Fprintf(a.stderr, "\n%s %s? Type yes: ", verdict, all)
	answer, err := bufio.NewReader(in).ReadString('\n')
	if strings.TrimSpace(answer) != "yes" {
		return errors.Join(errors.New("nothing was decided"), err)
	}
	return nil
}
