// Package placing puts the files of a run in place, whole or not at all: through a kill, a full disk, a power cut, and
// beside other runs. It leaves what is in the files to others.
//
// # The rules
//
// Parts. A file is written as a part, under a hidden name beside its place: .all.csv.⟨set⟩.part. All parts of a run
// have
// the number of its set in their names. The first part in a folder makes a mark there, .lastblock-placing.⟨set⟩, which
// the run keeps locked as long as it lives. So whoever finds parts knows whether somebody is at work on them.
//
// One file. Its part is flushed to the disk, and then renamed.
//
// Several files. All parts are flushed. What stands in their places is noted: its size, its time and the fingerprint of
// its bytes. Then the mark of each folder becomes a journal: which part goes where, with its size and its fingerprint;
// how many folders the set has; and where the others are. When all journals and the names of all parts are flushed, the
// set is settled. Only now is anything renamed, after a link .all.csv.⟨set⟩.old to what stood there was made; and only
// when the new names are flushed are these links, and then the journals, removed.
//
// Lines. A line that is added to a file, such as a decision, goes into a set as well: the journal has its bytes, and
// the length of the file before it.
//
// Whoever comes next. A set whose run has ended is finished where all its journals are whole and everything in them is
// as
// they say. Where a journal is missing and nothing was renamed, where a part is damaged, or one is gone whose place is
// as
// it was before, the set is undone: all its places are as before, and it leaves nothing. A set of which a folder cannot
// be reached waits for it.
//
// A hand's work. What stands in a place and is neither what was noted nor what was to be put there was made by somebody
// since. It stays; what was to be put there lies beside it, as all.csv.1.new.
//
// Strangers. A journal names files of its own folder alone, without any folder before them: parts of its own set, and
// the
// places for them. Other folders are named only so as to look there for a journal of the same set. Links are neither
// followed nor placed. A journal that says anything else is not believed, and nothing of it is done.
//
// Everything here goes through a Disk and a Clock that are handed in, so that tests stop and forget wherever they like.
package placing
