package docs

import (
	"slices"
	"testing"
)

func TestSection(t *testing.T) {
	page := "# Page\nfront\n\n## One\nfirst\n### Below\nsecond\n```\n# no heading\n## nor this\n```\n## Two\nthird\n"
	for heading, want := range map[string]string{
		"## One":    "first\n### Below\nsecond\n```\n# no heading\n## nor this\n```\n",
		"### Below": "second\n```\n# no heading\n## nor this\n```\n",
		"## Two":    "third\n",
	} {
		if got, ok := Section(page, heading); !ok || got != want {
			t.Errorf("%s has %q, want %q", heading, got, want)
		}
	}
	if _, ok := Section(page, "## Three"); ok {
		t.Error("there is a section that is none")
	}
	if got := Headings(page, 2); !slices.Equal(got, []string{"One", "Two"}) {
		t.Errorf("headings are %v", got)
	}
}
