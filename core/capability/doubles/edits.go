package doubles

import "fmt"

// editDistance counts how many edits make one text of another: a letter or digit put in,
// left out or replaced, or two neighbours swapped, none of which is touched again
// (the optimal string alignment distance). It returns most+1 where more than most
// are needed.
func editDistance(a, b []rune, most int) int {
	if len(a) > len(b) {
		a, b = b, a
	}
	if len(b)-len(a) > most {
		return most + 1
	}
	before, last, row := make([]int, len(b)+1), make([]int, len(b)+1), make([]int, len(b)+1)
	for k := range last {
		last[k] = k
	}
	for i := 1; i <= len(a); i++ {
		row[0] = i
		least := i
		for k := 1; k <= len(b); k++ {
			replaced := last[k-1]
			if a[i-1] != b[k-1] {
				replaced++
			}
			row[k] = min(replaced, last[k]+1, row[k-1]+1)
			if i > 1 && k > 1 && a[i-1] == b[k-2] && a[i-2] == b[k-1] {
				row[k] = min(row[k], before[k-2]+1)
			}
			least = min(least, row[k])
		}
		if least > most && i > 1 {
			// a swap reaches back over one row, so two rows beyond it are needed
			beyond := true
			for _, n := range last {
				beyond = beyond && n > most
			}
			if beyond {
				return most + 1
			}
		}
		before, last, row = last, row, before
	}
	return min(last[len(b)], most+1)
}

// explain says how two texts differ.
func explain(a, b []rune, edits int) string {
	if edits != 1 {
		return fmt.Sprintf("%d edits apart", edits)
	}
	at := 0
	for at < len(a) && at < len(b) && a[at] == b[at] {
		at++
	}
	what := func(r rune) string {
		if '0' <= r && r <= '9' {
			return "digit"
		}
		return "character"
	}
	switch {
	case len(a) < len(b):
		return fmt.Sprintf("one %s more in B", what(b[at]))
	case len(a) > len(b):
		return fmt.Sprintf("one %s less in B", what(a[at]))
	case at+1 < len(a) && a[at] == b[at+1] && a[at+1] == b[at]:
		return fmt.Sprintf("two %ss transposed", what(a[at]))
	}
	return fmt.Sprintf("one %s differs", what(a[at]))
}
