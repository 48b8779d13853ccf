// Lastblock turns the files that branches send every month into one trusted
// summary, and proves it.
package main

import (
	"os"

	"lastblock/cli"
)

func main() { os.Exit(cli.Main(os.Args[1:])) }
