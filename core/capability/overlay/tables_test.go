package overlay

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"lastblock/core/finding"
	"lastblock/core/format/sheet"
	"lastblock/internal/sourcetest"
)

// sown is a form in which tables were put whose places and sums are known.
type sown struct {
	cells map[[2]int]string // by row and column
	last  [2]int
}

func (p *sown) put(row, column int, text string) {
	p.cells[[2]int{row, column}] = text
	p.last = [2]int{max(p.last[0], row), max(p.last[1], column)}
}

func (p *sown) csv() string {
	var b strings.Builder
	for row := 1; row <= p.last[0]; row++ {
		for column := 1; column <= p.last[1]; column++ {
			if column > 1 {
				b.WriteByte(',')
			}
			b.WriteString(p.cells[[2]int{row, column}])
		}
		b.WriteByte('\n')
	}
	return b.String()
}

// Tables in random places are found where they are, and each figure is added up below its own headings.
func TestTablesInRandomPlaces(t *testing.T) {
	for seed := range uint64(60) {
		random := rand.New(rand.NewPCG(seed, 22))
		forms := make([]*sown, 2+random.IntN(4))
		for i := range forms {
			forms[i] = &sown{cells: make(map[[2]int]string)}
		}
		beside := seed%3 == 0
		var areas, lines []string
		row, column := 1, 1
		for table := range 1 + random.IntN(3) {
			height, width := 1+random.IntN(4), 2+random.IntN(3)
			area := sheet.Area{FirstRow: row + 1, LastRow: row + height, FirstColumn: column + 1,
				LastColumn: column + width}
			areas = append(areas, addressOf(&area))
			for k := range width {
				for _, f := range forms {
					f.put(row, column+1+k, fmt.Sprintf("T%d head %c", table, 'A'+k))
				}
			}
			for i := range height {
				line := fmt.Sprintf("T%d line %c", table, 'A'+i)
				sums := make([]int, width)
				for n, f := range forms {
					f.put(row+1+i, column, line)
					for k := range width {
						if n > 0 && random.IntN(8) == 0 {
							continue // left blank by some, and never by the first
						}
						figure := 10_000 + random.IntN(90_000)
						sums[k] += figure
						f.put(row+1+i, column+1+k, fmt.Sprint(figure))
					}
				}
				lines = append(lines, strings.Trim(line+" "+fmt.Sprint(sums), "[]"))
			}
			if beside {
				column += width + 2
			} else {
				row += height + 2
			}
		}
		files := make(map[string]string)
		for i, f := range forms {
			files[fmt.Sprintf("form%d.csv", i)] = f.csv()
		}
		r := overlayOf(t, sourcetest.Set(t, "", files), Options{})
		if want := strings.Join(areas, ","); r.Where != want {
			t.Errorf("seed %d: figures were found in %s, want %s, in\n%s", seed, r.Where, want, files["form0.csv"])
		}
		want := strings.ReplaceAll(strings.Join(lines, "\n"), "[", "")
		if got := rows(r); got != want {
			t.Errorf("seed %d: it comes to\n%s\nwant\n%s", seed, got, want)
		}
		if told := said(r, finding.LabelDiffers) + said(r, finding.FiguresOutside); told != "" {
			t.Errorf("seed %d: it says %s", seed, told)
		}
	}
}
