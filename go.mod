module lastblock

go 1.26.8

require (
	github.com/agnivade/levenshtein v1.2.2
	github.com/bmatcuk/doublestar/v4 v4.10.4
	github.com/cockroachdb/apd/v3 v3.2.3
	github.com/jedib0t/go-pretty/v6 v6.8.3
	github.com/klauspost/compress v1.20.4
	github.com/pbnjay/memory v0.0.0-20210728143218-7b4eea64cf58
	github.com/spf13/cobra v1.10.2
	github.com/spf13/pflag v1.0.9
	github.com/zeebo/xxh3 v1.1.0
	golang.org/x/sync v0.25.0
	golang.org/x/term v0.48.0
	golang.org/x/text v0.44.0
)

require (
	github.com/inconshreveable/mousetrap v1.1.0 // indirect
	github.com/klauspost/cpuid/v2 v2.2.10 // indirect
	github.com/mattn/go-runewidth v0.0.16 // indirect
	github.com/rivo/uniseg v0.4.7 // indirect
	golang.org/x/sys v0.50.0 // indirect
)
