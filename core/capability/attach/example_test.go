package attach_test

import (
	"context"
	"fmt"
	"os"

	"lastblock/core/capability/attach"
	"lastblock/core/capability/collate"
	"lastblock/internal/sourcetest"
)

func Example() {
	records, remove := sourcetest.Example("",
		map[string]string{"journal.csv": "document,account\nD1,04000\nD2,05200\nD3,09999\n"})
	defer remove()
	accounts, removeToo := sourcetest.Example("",
		map[string]string{"accounts.csv": "code,name\n04000,Day passes\n05200,Energy\n"})
	defer removeToo()
	ctx := context.Background()
	a, err := attach.Read(ctx, []*attach.Reference{{
		Set: accounts, Name: "accounts.csv", Key: []attach.Pair{{Column: "account", Is: "code"}},
		Bring: []attach.Pair{{Column: "name", Is: "name"}},
	}}, sourcetest.Reading, attach.Options{Delimiter: ','})
	if err != nil {
		fmt.Println(err)
		return
	}
	plan, err := collate.Prepare(ctx, records, sourcetest.Reading,
		collate.Options{Bare: true, Delimiter: ',', Adder: adder{a}})
	if err != nil {
		fmt.Println(err)
		return
	}
	result, err := plan.Write(ctx, os.Stdout)
	if err != nil {
		fmt.Println(err)
		return
	}
	fmt.Println(result.Findings[0].Message)
	// Output:
	// D1,04000,Day passes
	// D2,05200,Energy
	// D3,09999,
	// account 09999 is not in accounts.csv; 1 record
}
