package tally

import (
	"fmt"
	"slices"
	"strings"

	"lastblock/core/finding"
	"lastblock/core/source"
	"lastblock/core/value/spelling"
)

// The words of file names that say whose file a source is, and what it covers.
const (
	EntityWord = "entity"
	PeriodWord = "period"
)

// Filing is what several files were sent for: one entity, one period, and one value of
// each other word of their names.
type Filing struct {
	Key     string // by which a finding knows it: as the first name has it
	Label   string // as a message calls it
	Sources []int  // the first source of each of the files
	Parts   bool   // it was said that they are parts of one filing
}

// Filings are those for which more than one file was sent, in the order of their first
// sources. wanted tells which sources count. The sheets of one workbook are one file.
// Without both words in the files' names there are none.
func Filings(set *source.Set, wanted func(index int) bool) []Filing {
	words := set.Words()
	if !slices.Contains(words, EntityWord) || !slices.Contains(words, PeriodWord) {
		return nil
	}
	at := make(map[string]int)
	files := make(map[string]bool)
	var all []Filing
	for i := range set.Sources {
		entity, of := set.Word(i, EntityWord), set.Word(i, PeriodWord)
		if entity == "" || of == "" || !wanted(i) {
			continue
		}
		key := []string{spelling.Of(EntityWord, entity), spelling.Of(PeriodWord, of)}
		label := []string{strings.TrimSpace(entity), key[1]}
		as := []string{strings.TrimSpace(set.SentWord(i, EntityWord)), key[1]}
		for _, word := range words {
			if word != EntityWord && word != PeriodWord && word != sheetWord {
				key = append(key, set.Word(i, word))
				label, as = append(label, set.Word(i, word)), append(as, set.SentWord(i, word))
			}
		}
		joined := strings.Join(key, "\x00")
		file := set.Sources[i].Path + "\x00" + set.Sources[i].Entry()
		seen := joined + "\x00" + file
		if files[seen] {
			continue
		}
		files[seen] = true
		n, known := at[joined]
		if !known {
			n = len(all)
			at[joined] = n
			all = append(all, Filing{Key: strings.TrimSpace(strings.Join(as, " ")),
				Label: strings.TrimSpace(strings.Join(label, " ")), Parts: true})
		}
		all[n].Sources = append(all[n].Sources, i)
		all[n].Parts = all[n].Parts && set.IsPart(i)
	}
	several := all[:0]
	for _, f := range all {
		if len(f.Sources) > 1 {
			several = append(several, f)
		}
	}
	return several
}

// sheetWord is the word of file names that a workbook's sheet stands for; sheets of one
// workbook are no files of their own.
const sheetWord = "sheet"

// tellFiled tells who has sent more than one file for one period, which would be
// counted twice. What is left out as a whole is not here, and a file that holds no
// record adds nothing.
func (t *Tally) tellFiled() error {
	return TellFiled(t.set, func(i int) bool { return t.Sources[i].Read > 0 && !t.isGone(i) }, &t.Findings)
}

// TellFiled adds a finding for each entity and period for which several files were sent that are not parts of one
// filing. counts tells which sources would be counted.
func TellFiled(set *source.Set, counts func(index int) bool, findings *finding.List) error {
	for _, filing := range Filings(set, counts) {
		if filing.Parts {
			continue
		}
		first := &set.Sources[filing.Sources[0]]
		var names []string
		for _, i := range filing.Sources {
			names = append(names, set.Sources[i].Name)
		}
		places, err := FilePlaces(set, filing.Sources, func(index int) (string, error) { return filePrint(set, index) })
		if err != nil {
			return err
		}
		findings.Add(finding.Finding{
			Kind: finding.FiledTwice, Source: first.Name, Order: filing.Sources[0], Key: filing.Key, Count: len(names),
			Found: strings.Join(names, ", "), Places: places,
			Message: fmt.Sprintf("%s filed %s: %s; exclude the file that is superseded, with decide ⟨drop⟩ or with "+
				"⟨skip⟩", filing.Label, times(len(names)), Names(set, filing.Sources)),
		})
	}
	return nil
}

// filePrint is the fingerprint of a source's file; of a pipe, which can be read once,
// there is none.
func filePrint(set *source.Set, index int) (string, error) {
	if set.Sources[index].Size < 0 {
		return "", nil
	}
	return set.FilePrint(index)
}

func times(n int) string {
	if n == 2 {
		return "twice"
	}
	return fmt.Sprintf("%d times", n)
}

// isGone tells whether a source is left out as a whole.
func (t *Tally) isGone(index int) bool {
	_, whole := t.options.Drop.Of(t.set.Sources[index].Name).Whole()
	return whole
}
