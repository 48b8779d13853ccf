package cli

import (
	"fmt"
	"strconv"
	"strings"

	"lastblock/core/value/nearest"

	"github.com/spf13/cobra"
)

// unknownName says that a name is not known, which one may have been meant,
// and which there are.
func unknownName(what, prefix, name string, have []string) error {
	text := fmt.Sprintf("unknown %s %s%s", what, prefix, name)
	if near, ok := nearest.To(name, have); ok {
		text += fmt.Sprintf("; did you mean %s%s?", prefix, near)
	}
	shown := make([]string, len(have))
	for i, h := range have {
		shown[i] = prefix + h
	}
	return fmt.Errorf("%s\nthere is: %s", text, strings.Join(shown, ", "))
}

// needPaths wants at least one PATH.
func needPaths(cmd *cobra.Command, args []string) error {
	if f := cmd.Flags().Lookup("plan"); len(args) == 0 && (f == nil || !f.Changed) {
		return fmt.Errorf("%s needs a PATH: a file, a folder, a pattern, or - for standard input\nfor example:\n%s", cmd.CommandPath(), cmd.Example)
	}
	return nil
}

// parseSize reads a size such as 256MB, 1.5GB or 512 MiB into bytes. Units of
// a thousand and of 1,024 are both taken as 1,024.
func parseSize(text string) (int64, error) {
	trimmed := strings.ToUpper(strings.TrimSpace(text))
	number := strings.TrimRight(trimmed, "BIKMGT ")
	unit := strings.TrimSuffix(strings.TrimSuffix(strings.TrimSpace(trimmed[len(number):]), "B"), "I")
	shift, ok := map[string]int{"": 0, "K": 10, "M": 20, "G": 30, "T": 40}[unit]
	value, err := strconv.ParseFloat(number, 64)
	if err != nil || !ok || value <= 0 {
		return 0, fmt.Errorf("--memory %q is no size; write for example 256MB or 2GB", text)
	}
	return int64(value * float64(int64(1)<<shift)), nil
}

// oneCharacter reads a delimiter.
func oneCharacter(text string) (byte, error) {
	names := map[string]byte{"tab": '\t', `\t`: '\t', "comma": ',', "semicolon": ';', "pipe": '|'}
	if c, ok := names[strings.ToLower(text)]; ok {
		return c, nil
	}
	if len(text) == 1 && text != "\n" && text != "\r" && text != `"` {
		return text[0], nil
	}
	return 0, fmt.Errorf("one character is needed, such as ';' or tab, not %q", text)
}

// noneTwice refuses a list of columns that names one twice.
func noneTwice(flag string, columns []string) error {
	seen := make(map[string]bool)
	for _, c := range columns {
		if c == "" {
			return fmt.Errorf("--%s: a column without a name stands in the list", flag)
		}
		if seen[c] {
			return fmt.Errorf("--%s: %q stands twice", flag, c)
		}
		seen[c] = true
	}
	return nil
}
