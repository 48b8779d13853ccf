package plan_test

import (
	"fmt"

	"lastblock/core/month/plan"
)

func ExampleParse() {
	p, err := plan.Parse("lastblock.toml", []byte(`version = 1
[read]
paths = ["journals"]
[[read.shape]]
match = "corvane_*"
header-lines = 2
[rollup]
by = "entity"
`))
	if err != nil {
		fmt.Println(err)
		return
	}
	fmt.Println(p.Read.Find("paths").Value, p.Shapes[0].Find("header-lines").Value,
		p.Command("rollup").Find("by").Place)
	_, err = plan.Parse("lastblock.toml", []byte("version = 1\n[read]\npaths = \n"))
	fmt.Println(err)
	// Output:
	// [journals] 2 {8 1}
	// lastblock.toml line 3, column 9: the line ends where a value should stand
}
