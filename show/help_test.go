package show

import (
	"strings"
	"testing"
)

func TestPairsStandUnderEachOther(t *testing.T) {
	got := Pairs([]Pair{{"--by LIST", "columns to group by"}, {"--sum", strings.Repeat("word ", 16) + "end"},
		{"--a-word-that-is-far-too-long-for-its-column", "below"}})
	want := "  --by LIST  columns to group by\n" +
		"  --sum      word word word word word word word word word word word word word\n" +
		"             word word word end\n" +
		"  --a-word-that-is-far-too-long-for-its-column\n" +
		"             below\n"
	if got != want {
		t.Errorf("pairs are\n%s\nwant\n%s", got, want)
	}
}

func TestAnExampleStaysACommandLine(t *testing.T) {
	long := "lastblock tieout in --name '{entity} {period}' --rule 'debit <= 5000 || counterparty != \"\"' --total " +
		"debit"
	want := "  lastblock tieout in --name '{entity} {period}' --rule \\\n" +
		"    'debit <= 5000 || counterparty != \"\"' --total debit\n"
	if got := Example(long); got != want {
		t.Errorf("the example is\n%s\nwant\n%s", got, want)
	}
	if got := Example("lastblock demo"); got != "  lastblock demo\n" {
		t.Errorf("the example is %q", got)
	}
}

func TestAPageIsText(t *testing.T) {
	markdown := "# Title\n\nA `word` with [a link](there.md#x) and **more**, and " + strings.Repeat("so on ", 10) +
		"to the end.\n\n- first\n  goes on\n- second\n\n| a | b |\n|---|---|\n| `x` | one \\| two | \n| y | three |\n\n" +
		"```\n  kept   as it is\n```\n"
	want := "TITLE\n\n" +
		"A word with a link and more, and so on so on so on so on so on so on so on so on\n" +
		"so on so on to the end.\n\n" +
		"- first goes on\n- second\n\n" +
		"  x  one | two\n  y  three\n\n" +
		"    kept   as it is\n"
	if got := Page(markdown); got != want {
		t.Errorf("the page is\n%s\nwant\n%s", got, want)
	}
}

func TestMessagesAreFoldedOnANarrowScreen(t *testing.T) {
	message := "lastblock: there is no such file, and nothing near it\n  lastblock tieout a-folder --total debit"
	for width, want := range map[int]string{
		0:  message,
		80: message,
		30: "lastblock: there is no such\nfile, and nothing near it\n  lastblock tieout a-folder --total debit",
	} {
		if got := FoldedLines(message, width); got != want {
			t.Errorf("on %d columns it is\n%s", width, got)
		}
	}
}
