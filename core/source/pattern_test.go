package source

import (
	"strings"
	"testing"
	"time"

	"github.com/bmatcuk/doublestar/v4"
)

// Patterns mean what they mean to the package that walks folders by them.
func TestGlobsAgainstThePackage(t *testing.T) {
	names := []string{
		"a.csv", "b.csv", "ab.csv", "a", "", "x/a.csv", "x/y/a.csv", "x/y/z/b.csv", "corvane_2031-01.csv",
		"corvane_2031-01.xlsx", "-.csv", "].csv", "a*b.csv", "{a}.csv", "a.b.csv", "ü.csv", "A.csv", "^.csv",
	}
	for _, pattern := range []string{
		"*", "*.csv", "a*", "?.csv", "??.csv", "[ab].csv", "[a-c]*.csv", "[^a].csv", "[!a].csv", "[]].csv", "[a-].csv",
		"{a,b}.csv", "{a,ab,x/*}.csv", "*.{csv,xlsx}", "corvane_*", "corvane_2031-0[12].*",
		"**", "**/*.csv", "x/**", "x/**/a.csv", "x/*/a.csv", "**/y/*.csv", "a\\*b.csv", "\\{a\\}.csv", "a.b.csv",
		"a?b.csv", "*a*", "x/*", "", "[\\^].csv", "{a,{b,ab}}.csv",
	} {
		if !doublestar.ValidatePattern(pattern) {
			continue
		}
		form := globForm(pattern)
		for _, name := range names {
			want, err := doublestar.Match(pattern, name)
			if err != nil {
				continue
			}
			if got := form.MatchString(name); got != want {
				t.Errorf("%q matches %q: %v, want %v (%s)", pattern, name, got, want, form)
			}
		}
	}
}

// However a pattern is made, it is refused or costs little.
func TestPatternsThatCostMuch(t *testing.T) {
	name := strings.Repeat("a", 250)
	for _, pattern := range []string{strings.Repeat("a*", 64) + "b", strings.Repeat("{a,a*}", 8) + "b",
		strings.Repeat("**/", 30) + "b"} {
		begun := time.Now()
		if err := checkPattern(pattern); err != nil {
			t.Errorf("%s: %v", pattern, err)
		}
		if (globs{}).matchesAny([]string{pattern}, name) {
			t.Errorf("%s matches", pattern)
		}
		if took := time.Since(begun); took > 5*time.Second {
			t.Errorf("%s took %v", pattern, took)
		}
	}
	for _, pattern := range []string{strings.Repeat("*", 65), strings.Repeat("a*", 65), strings.Repeat("{a,b}", 9)} {
		if err := checkPattern(pattern); err == nil || !strings.Contains(err.Error(), "at most") {
			t.Errorf("%s: error is %v", pattern, err)
		}
	}
	if _, err := ParseNamePattern("{entity}" + strings.Repeat("*_", 65)); err == nil {
		t.Error("a pattern of names may have any number of stars")
	}
}
