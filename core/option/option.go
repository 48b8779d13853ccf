package option

import (
	"fmt"
	"slices"
	"strings"
)

// Option is one thing that can be asked of a run.
type Option struct {
	Word    string
	Value   any // a *string, *int, *bool or *[]string; holds the default until something else is asked for
	Meaning string
	Whole   bool // of a list: each text is one element, commas and all
	File    File
	Columns Columns
	Least   int   // the least that a number may be where it is given
	IsSet   *bool // becomes true where a value is given, for an option of which blank means something
	OneRun  bool  // is about a single run, and is no key of a plan

	// PerResult says of an option of reading that it may differ between results that are made in
	// one reading, such as a condition. How sources are written is the same for all of them.
	PerResult bool

	// Path resolves the path within a text of a plan; nil where the text is the path.
	Path func(text string, beside func(path string) string) string

	// Subject makes several places add up, such as a plan's table and the command line: it tells
	// what a text speaks of, and of two texts with one subject the later one holds. Nil for an
	// option of which the last place alone holds.
	Subject func(text string) string

	Given Given
}

// Given is where the value of an option was given.
type Given struct {
	Typed        bool // on the command line
	Line, Column int  // in the plan, counted from 1; zero for neither
}

// File tells whether the value of an option is the path of a file.
type File byte

const (
	NoFile  File = iota
	Read         // read beside the sources, such as a control sheet
	Written      // made by the run
)

// Columns tells whether the value of an option names columns.
type Columns byte

const (
	NoColumns   Columns = iota
	DataColumns         // of the records
	AnyColumns          // words of file names, too, and the source
)

// Kind is what an option takes.
type Kind string

const (
	Text   Kind = "text"
	Number Kind = "number"
	Truth  Kind = "true or false"
	Texts  Kind = "list"
)

// Kind returns what kind of value the option takes.
func (o *Option) Kind() Kind {
	switch o.Value.(type) {
	case *string:
		return Text
	case *int:
		return Number
	case *bool:
		return Truth
	}
	return Texts
}

// Copy takes the value of an option of the same kind.
func (o *Option) Copy(from *Option) {
	switch to := o.Value.(type) {
	case *string:
		*to = *from.Value.(*string)
	case *int:
		*to = *from.Value.(*int)
	case *bool:
		*to = *from.Value.(*bool)
	case *[]string:
		*to = slices.Clone(*from.Value.(*[]string))
	}
	o.Given = from.Given
	if o.IsSet != nil && from.IsSet != nil {
		*o.IsSet = *from.IsSet
	}
}

// IsGiven tells whether the value was given at all.
func (o *Option) IsGiven() bool { return o.Given != Given{} }

// Set takes a value as a plan has it: a string, an int64, a bool or a []string, of which the
// option takes one; a list takes a single text as well. The error says what is needed.
func (o *Option) Set(value any) error {
	needed := ""
	switch to := o.Value.(type) {
	case *string:
		if text, ok := value.(string); ok {
			*to = text
			return nil
		}
		needed = "a text in quotes"
	case *int:
		if number, ok := value.(int64); ok && int64(int(number)) == number {
			*to = int(number)
			return nil
		}
		needed = "a whole number"
	case *bool:
		if truth, ok := value.(bool); ok {
			*to = truth
			return nil
		}
		needed = "true or false"
	case *[]string:
		if texts := TextsOf(value); texts != nil {
			*to = texts
			return nil
		}
		needed = "a text in quotes or a list of them"
	}
	return fmt.Errorf("%s is %v: %s is needed, for %s", o.Word, value, needed, o.Meaning)
}

// TextsOf makes a list of a value that is a text or a list of texts; nil of another one.
func TextsOf(value any) []string {
	switch v := value.(type) {
	case string:
		return []string{v}
	case []string:
		return v
	}
	return nil
}

// Check notes that the value was given, and refuses a number that is too small.
func (o *Option) Check() error {
	if !o.IsGiven() {
		return nil
	}
	if o.IsSet != nil {
		*o.IsSet = true
	}
	if n, ok := o.Value.(*int); ok && *n < o.Least {
		return Wrong(o.Word, *n, "at least %d is needed", o.Least)
	}
	return nil
}

// Texts are the texts of the value, none for one that is blank, a number or a truth.
func (o *Option) Texts() []string {
	switch v := o.Value.(type) {
	case *string:
		if *v != "" {
			return []string{*v}
		}
	case *[]string:
		return *v
	}
	return nil
}

// SetTexts takes texts that several places have said. Of an option with one text they are
// conditions, of which each must be met.
func (o *Option) SetTexts(texts []string) error {
	to, ok := o.Value.(*string)
	switch {
	case len(texts) == 0:
		return nil
	case !ok:
		return o.Set(texts)
	case len(texts) == 1:
		*to = texts[0]
		return nil
	}
	*to = "(" + strings.Join(texts, ") && (") + ")"
	return nil
}

// Resolve replaces each path in the value by what resolve makes of it.
func (o *Option) Resolve(resolve func(path string) string) {
	path := func(text string) string {
		if o.Path != nil {
			return o.Path(text, resolve)
		}
		return resolve(text)
	}
	switch v := o.Value.(type) {
	case *string:
		*v = path(*v)
	case *[]string:
		resolved := make([]string, len(*v))
		for i, text := range *v {
			resolved[i] = path(text)
		}
		*v = resolved
	}
}

// Default writes the value in one text, blank for none.
func (o *Option) Default() string {
	switch v := o.Value.(type) {
	case *string:
		return *v
	case *int:
		if *v != 0 {
			return fmt.Sprint(*v)
		}
	}
	return ""
}

// List are options that stand side by side.
type List []*Option

// Find returns the option of a word, nil if there is none.
func (l List) Find(word string) *Option {
	if i := slices.IndexFunc(l, func(o *Option) bool { return o.Word == word }); i >= 0 {
		return l[i]
	}
	return nil
}

// Words are the words of the options.
func (l List) Words() []string {
	words := make([]string, len(l))
	for i, o := range l {
		words[i] = o.Word
	}
	return words
}

// Distinct refuses names of columns of which one is blank or stands twice.
func Distinct(word string, names []string) error {
	for i, name := range names {
		switch {
		case name == "":
			return Errorf(word, "a column without a name stands in the list")
		case slices.Contains(names[:i], name):
			return Errorf(word, "%q stands twice", name)
		}
	}
	return nil
}

// Distinct refuses lists of columns in which one is blank or stands twice.
func (l List) Distinct() error {
	for _, o := range l {
		if names, ok := o.Value.(*[]string); ok && o.Columns != NoColumns {
			if err := Distinct(o.Word, *names); err != nil {
				return err
			}
		}
	}
	return nil
}

// Pair takes apart a=b, neither of which may be missing.
func Pair(text string) (left, right string, ok bool) {
	left, right, ok = strings.Cut(text, "=")
	left, right = strings.TrimSpace(left), strings.TrimSpace(right)
	return left, right, ok && left != "" && right != ""
}

// Split takes apart a list with commas.
func Split(text string) []string {
	list := strings.Split(text, ",")
	for i := range list {
		list[i] = strings.TrimSpace(list[i])
	}
	return list
}
