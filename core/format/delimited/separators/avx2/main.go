// Command avx2 writes the assembly by which package separators looks at 64 bytes at a time; go generate there
// runs it. It is a module of its own, so that the program does not depend on what only writes a part of it.
//
// A chunk of 64 bytes is two registers of 32. Each is compared with a byte, and the highest bits of what comes of that
// make a word with one bit a byte: where a quote stands, a delimiter, a line end, a carriage return. What lies within
// quotes is the exclusive or of all bits of quotes up to each bit, which is a multiplication without carries by a word
// of ones. All else is what state.step does, by name.
package main

import (
	. "github.com/mmcloughlin/avo/build"
	. "github.com/mmcloughlin/avo/operand"
	. "github.com/mmcloughlin/avo/reg"
)

// Where the fields of a state are.
const (
	delimiterAt = 0
	quoteAt     = 1
	lineEndAt   = 2
	returnAt    = 3
	quotesAt    = 8
	returnsAt   = 16
	insideAt    = 24
	beginsAt    = 32
	closedAt    = 40
	returnedAt  = 48
	badAt       = 56
	linesAt     = 64
	lastAt      = 72
	seenAt      = 80
	unneededAt  = 88
	needlessAt  = 96
)

const size = 64 // bytes of a chunk

// kernel is what both functions have in common: their registers. What does not fit into these stays in the state.
type kernel struct {
	data, state, at              Register // at counts the bytes that were looked at
	chunks                       Mem
	delimiter, quote, end, enter VecVirtual
	ones                         VecVirtual
	seen                         VecVirtual // full bytes where there was a carriage return
	inside, begins, closed       Register
}

func main() {
	ConstraintExpr("amd64")
	note()
	cut()
	Generate()
}

func start() *kernel {
	k := &kernel{
		data: Load(Param("data"), GP64()), state: Load(Param("s"), GP64()), at: GP64(),
		delimiter: YMM(), quote: YMM(), end: YMM(), enter: YMM(), ones: XMM(),
		seen:   YMM(),
		inside: GP64(), begins: GP64(), closed: GP64(),
	}
	chunks, err := Param("chunks").Resolve()
	if err != nil {
		panic(err)
	}
	k.chunks = chunks.Addr
	VPBROADCASTB(k.of(delimiterAt), k.delimiter)
	VPBROADCASTB(k.of(quoteAt), k.quote)
	VPBROADCASTB(k.of(lineEndAt), k.end)
	VPBROADCASTB(k.of(returnAt), k.enter)
	VPCMPEQB(k.ones, k.ones, k.ones)
	VPXOR(k.seen, k.seen, k.seen)
	MOVQ(k.of(insideAt), k.inside)
	MOVQ(k.of(beginsAt), k.begins)
	MOVQ(k.of(closedAt), k.closed)
	XORQ(k.at, k.at)
	return k
}

// of is a field of the state.
func (k *kernel) of(offset int) Mem { return Mem{Base: k.state, Disp: offset} }

// stop puts the state back.
func (k *kernel) stop() {
	MOVQ(k.inside, k.of(insideAt))
	MOVQ(k.begins, k.of(beginsAt))
	MOVQ(k.closed, k.of(closedAt))
	seen := GP64()
	VPMOVMSKB(k.seen, seen.As32())
	ORQ(seen, k.of(seenAt))
	VZEROUPPER()
}

// mask is a word with a bit for each byte of the chunk that is the one in of.
func mask(low, high, of VecVirtual) GPVirtual {
	l, h := YMM(), YMM()
	VPCMPEQB(low, of, l)
	VPCMPEQB(high, of, h)
	m, upper := GP64(), GP64()
	VPMOVMSKB(l, m.As32())
	VPMOVMSKB(h, upper.As32())
	SHLQ(Imm(32), upper)
	ORQ(upper, m)
	return m
}

// look looks at the next chunk. separators are the delimiters and line ends outside quotes, and ends the line ends
// among them. Where they are noted it also finds out whether there are carriage returns, and quotes that nothing within
// needs.
func (k *kernel) look(noting bool) (separators, ends GPVirtual) {
	low, high := YMM(), YMM()
	VMOVDQU(Mem{Base: k.data}, low)
	VMOVDQU(Mem{Base: k.data, Disp: 32}, high)

	quotes := mask(low, high, k.quote)
	ANDQ(k.of(quotesAt), quotes)
	product := XMM()
	VMOVQ(quotes, product)
	VPCLMULQDQ(Imm(0), k.ones, product, product)
	inside := GP64()
	VMOVQ(product, inside)
	XORQ(k.inside, inside)
	MOVQ(inside, k.inside)
	SARQ(Imm(63), k.inside)

	separators, ends = mask(low, high, k.delimiter), mask(low, high, k.end)
	ORQ(ends, separators)
	run := GP64()
	if noting {
		ANDNQ(inside, separators, run)
	}
	ANDNQ(separators, inside, separators)
	ANDNQ(ends, inside, ends)

	opens := GP64()
	MOVQ(quotes, opens)
	ANDQ(inside, opens)
	closes := quotes
	ANDNQ(quotes, inside, closes)

	if noting {
		// run += unneeded + opens; unneeded = what is carried on; needless |= run & closes
		carry := GP64()
		XORL(carry.As32(), carry.As32())
		ADDQ(k.of(unneededAt), run)
		ADCQ(Imm(0), carry)
		ADDQ(opens, run)
		ADCQ(Imm(0), carry)
		MOVQ(carry, k.of(unneededAt))
		ANDQ(closes, run)
		ORQ(run, k.of(needlessAt))
	}

	// bad = opens &^ ((separators|closes)<<1 | begins)
	before, bad := GP64(), GP64()
	MOVQ(separators, before)
	ORQ(closes, before)
	LEAQ(Mem{Base: k.begins, Index: before, Scale: 2}, bad)
	SHRQ(Imm(63), before)
	MOVQ(before, k.begins)
	ANDNQ(opens, bad, bad)

	// behind = closes<<1 | closed; bad |= behind &^ (separators | opens | returns)
	behind := GP64()
	LEAQ(Mem{Base: k.closed, Index: closes, Scale: 2}, behind)
	SHRQ(Imm(63), closes)
	MOVQ(closes, k.closed)
	ORQ(separators, opens)
	if noting {
		for _, half := range []VecVirtual{low, high} {
			is := YMM()
			VPCMPEQB(half, k.enter, is)
			VPOR(is, k.seen, k.seen)
		}
	}
	// Where carriage returns are matters only if one may stand behind a quote.
	unlike := GP64()
	ANDNQ(behind, opens, unlike)
	ORQ(k.of(returnedAt), unlike)
	JZ(LabelRef("looked"))
	returns := mask(low, high, k.enter)
	ANDQ(k.of(returnsAt), returns)
	ORQ(returns, opens)
	ANDNQ(behind, opens, opens)
	ORQ(opens, bad)

	// returned = behind & returns; bad |= (returned<<1 | what was carried) &^ ends
	ANDQ(returns, behind)
	next := returns
	MOVQ(k.of(returnedAt), next)
	LEAQ(Mem{Base: next, Index: behind, Scale: 2}, next)
	SHRQ(Imm(63), behind)
	MOVQ(behind, k.of(returnedAt))
	ANDNQ(next, ends, next)
	ORQ(next, bad)
	Label("looked")
	ORQ(bad, k.of(badAt))
	return separators, ends
}

// next goes on to the next chunk, if there is one.
func (k *kernel) next(loop string) {
	ADDQ(Imm(size), k.data)
	ADDQ(Imm(size), k.at)
	DECQ(k.chunks)
	JNZ(LabelRef(loop))
}

func note() {
	TEXT("note", NOSPLIT, "func(data *byte, chunks int, out *uint32, at uint32, s *byte) (n int)")
	Pragma("noescape")
	Doc("note puts the places of separators in some chunks, of which there is one at least, behind out; at is the",
		"place of the first byte. out has room for all of them and 12 more. s is the first byte of a state.")
	k := start()
	Load(Param("at"), k.at.(GPVirtual).As32())
	out := Load(Param("out"), GP64())
	Label("chunk")
	separators, ends := k.look(true)
	POPCNTQ(ends, ends)
	ADDQ(ends, k.of(linesAt))
	count := GP64()
	POPCNTQ(separators, count)

	// The first eight and the next four are written without a look at how many there are.
	put := func(n int) {
		place := GP64()
		TZCNTQ(separators, place)
		ADDL(k.at.(GPVirtual).As32(), place.As32())
		MOVL(place.As32(), Mem{Base: out, Disp: 4 * n})
		BLSRQ(separators, separators)
	}
	for n := range 8 {
		put(n)
	}
	CMPQ(count, Imm(8))
	JLE(LabelRef("noted"))
	for n := 8; n < 12; n++ {
		put(n)
	}
	CMPQ(count, Imm(12))
	JLE(LabelRef("noted"))
	more := GP64()
	LEAQ(Mem{Base: out, Disp: 4 * 12}, more)
	Label("more")
	place := GP64()
	TZCNTQ(separators, place)
	ADDL(k.at.(GPVirtual).As32(), place.As32())
	MOVL(place.As32(), Mem{Base: more})
	ADDQ(Imm(4), more)
	BLSRQ(separators, separators)
	JNZ(LabelRef("more"))
	Label("noted")
	LEAQ(Mem{Base: out, Index: count, Scale: 4}, out)
	k.next("chunk")

	k.stop()
	before := Load(Param("out"), GP64())
	SUBQ(before, out)
	SHRQ(Imm(2), out)
	Store(out, ReturnIndex(0))
	RET()
}

func cut() {
	TEXT("cut", NOSPLIT, "func(data *byte, chunks int, s *byte)")
	Pragma("noescape")
	Doc("cut tells where the last line end outside quotes is in some chunks, of which there is one at least. s is the",
		"first byte of a state.")
	k := start()
	last := GP64()
	MOVQ(k.of(lastAt), last)
	Label("cutChunk")
	_, ends := k.look(false)
	// place = at + the highest bit; where there is none, last stays
	place := GP64()
	BSRQ(ends, place)
	LEAQ(Mem{Base: k.at, Index: place, Scale: 1}, place)
	TESTQ(ends, ends)
	CMOVQNE(place, last)
	k.next("cutChunk")
	MOVQ(last, k.of(lastAt))
	k.stop()
	RET()
}
