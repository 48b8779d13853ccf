package align_test

import (
	"context"
	"fmt"
	"os"

	"lastblock/core/capability/align"
	"lastblock/internal/sourcetest"
)

func Example() {
	set, remove := sourcetest.Example("", map[string]string{
		"january.csv":  "account,balance\n04000,100\n05200,20\n",
		"february.csv": "account,balance\n04000,130\n05000,7\n",
	})
	defer remove()
	ctx := context.Background()
	sources, err := align.Read(ctx, set, sourcetest.Reading, align.Options{Key: []string{"account"}, Sorted: true})
	if err != nil {
		fmt.Println(err)
		return
	}
	r, err := sources.Align(ctx, encode)
	if err != nil {
		fmt.Println(err)
		return
	}
	defer r.Close()
	for _, c := range r.Columns {
		fmt.Printf("(%s)", c.Name)
	}
	fmt.Println()
	if err := r.Write(ctx, os.Stdout); err != nil {
		fmt.Println(err)
	}
	// Output:
	// (account)(present_in)(balance february)(balance january)
	// 04000|2|130|100
	// 05000|1|7|~
	// 05200|1|~|20
}
