package draft_test

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"lastblock/core/month/draft"
	"lastblock/core/source"
)

func ExampleRun() {
	dir, err := os.MkdirTemp("", "example")
	if err != nil {
		fmt.Println(err)
		return
	}
	defer os.RemoveAll(dir)
	for name, content := range map[string]string{
		"corvane_2031-01.csv": "Konto;Soll\n4000;1,50\n", "corvane_2031-02.csv": "Konto;Soll\n4000;2,50\n",
		"eskerby_2031-01.csv": "Konto;Soll EUR\n4000;3,50\n",
	} {
		if err := os.WriteFile(filepath.Join(dir, name), []byte(content), 0o644); err != nil {
			fmt.Println(err)
			return
		}
	}
	d, err := draft.Run(context.Background(), dir, nil, source.Reading{Jobs: 1, Memory: 1 << 26})
	if err != nil {
		fmt.Println(err)
		return
	}
	d.Folder = "month"
	fmt.Print(d.Text(".", strings.Clone))
	// Output:
	// # Drafted from month: 3 sources in 2 shapes. Lines that begin with # say what was seen,
	// # and what may be meant; nothing of that is applied until the # is taken away.
	// version = 1
	//
	// [read]
	// paths = ["."]
	// name = "{entity}_{period}"
	// # semicolon between fields, utf-8, decimal comma: corvane_2031-01.csv, corvane_2031-02.csv
	// # columns: Konto (text), Soll (amount)
	// as = ["Soll=amount"]
	//
	// # semicolon between fields, utf-8, decimal comma: eskerby_2031-01.csv
	// [[read.shape]]
	// match = "eskerby_*"
	// # columns: Konto (text), Soll EUR (amount)
	// as = ["Soll EUR=amount"]
	// # These may mean the same. If they do, take this in the place of 'as' above:
	// # rename = ["Soll EUR=Soll"]
	// # as = ["Soll=amount"]
	//
	// [tieout]
	// total = ["Soll"]
	// # declared = "control.csv" # what the branches declare, once there is a file of it
	//
	// [collate]
	// total = ["Soll"]
	//
	// [rollup]
	// by = "entity"
	// sum = ["Soll"]
	// across = "period"
}
