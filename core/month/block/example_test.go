package block_test

import (
	"fmt"
	"os"
	"path/filepath"

	"lastblock/core/month/block"
)

func ExampleChain_Append() {
	folder, err := os.MkdirTemp("", "blocks")
	if err != nil {
		fmt.Println(err)
		return
	}
	defer os.RemoveAll(folder)
	chain, err := block.Read(folder, "lastblock.toml")
	if err != nil {
		fmt.Println(err)
		return
	}
	for _, period := range []string{"2031-01", "2031-02"} {
		entry, err := chain.Append(block.Block{Period: period, Verdict: block.Passed,
			Plan: block.File{Name: "lastblock.toml"}})
		if err != nil {
			fmt.Println(err)
			return
		}
		fmt.Println(entry.File, entry.Previous != nil)
	}
	// A figure in a sealed block is changed by hand.
	path := filepath.Join(folder, "0001-2031-01.json")
	data, err := os.ReadFile(path)
	if err == nil {
		data[len(data)-3] ^= 1
		err = os.WriteFile(path, data, 0o644)
	}
	if err != nil {
		fmt.Println(err)
		return
	}
	_, err = block.Read(folder, "lastblock.toml")
	fmt.Println(err != nil)
	// Output:
	// 0001-2031-01.json false
	// 0002-2031-02.json true
	// true
}
