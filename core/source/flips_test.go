package source

import (
	"bytes"
	"context"
	"encoding/base64"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/klauspost/compress/zstd"
	"github.com/xuri/excelize/v2"
)

// packedText is in bzip2 what flippedText is; the standard library has no writer of that.
const packedText = "" +
	"QlpoOTFBWSZTWTs32VUAASPZgAAQQAV/4CoFj0AwASLIIoan6if/qik0AASjJqSCYj0DUOP/1Kp/qpowjQyD3Ou3NV79OAAAAAO8" +
	"RGUVWedVVVVVsaANRgCZmZlERlH3fS887u7u7vY0AajAEzMzPArGMIiMo65mTqUXZRdlF2UWVtJMbem3JEkkkkAAAtqySyW8wAAA" +
	"AtpZJZbAAAACSkiSjbngCjUkSWm3r9Ao1JElpt6mZiSjbkzMSUbcmZiSjbm3wCjfz6Ao3YFH3NgKOPq4vj/F3JFOFCQOzfZVQA=="

func flippedText() string {
	text := "account,v,text\n"
	for i := range 40 {
		text += fmt.Sprintf("%d,%d.50,sale %d\n", 4000+i, i, i)
	}
	return text
}

// One bit that has changed in a file whose format has a checksum is told, or changes no record; LASTBLOCK_FLIPS says
// how many are tried of each format.
func TestFlippedBits(t *testing.T) {
	flips, err := strconv.Atoi(os.Getenv("LASTBLOCK_FLIPS"))
	if err != nil {
		flips = 150
	}
	packed, err := base64.StdEncoding.DecodeString(packedText)
	if err != nil {
		t.Fatal(err)
	}
	zst, err := zstd.NewWriter(nil, zstd.WithEncoderCRC(true))
	if err != nil {
		t.Fatal(err)
	}
	ods, err := os.ReadFile("testdata/odfpy.ods")
	if err != nil {
		t.Fatal(err)
	}
	for name, data := range map[string][]byte{
		"a.csv.gz":  []byte(zipped(t, flippedText())),
		"a.csv.bz2": packed,
		"a.csv.zst": zst.EncodeAll([]byte(flippedText()), nil),
		"a.zip":     []byte(zipOf(t, map[string]string{"a.csv": flippedText()})),
		"a.xlsx":    flippedBook(t),
		"a.ods":     ods,
	} {
		t.Run(name, func(t *testing.T) {
			path := filepath.Join(t.TempDir(), name)
			records := func(data []byte) (found []string, err error) {
				if err := os.WriteFile(path, data, 0o644); err != nil {
					t.Fatal(err)
				}
				set, err := Find(context.Background(), Search{Paths: []string{path}, Jobs: 1})
				if err != nil {
					return nil, err
				}
				c := &collector{set: set}
				err = set.Scan(context.Background(), Reading{Jobs: 1, Memory: 1 << 26}, func() Visitor { return c })
				for _, p := range set.PassedOver {
					found = append(found, "passed over: "+p.Source)
				}
				return append(found, append(c.records, c.refused...)...), err
			}
			whole, err := records(data)
			if err != nil || len(whole) < 2 {
				t.Fatalf("%v: %q", err, whole)
			}
			random := rand.New(rand.NewPCG(38, uint64(len(name))))
			told := 0
			for range flips {
				flipped := bytes.Clone(data)
				at, bit := random.IntN(len(data)), random.IntN(8)
				flipped[at] ^= 1 << bit
				found, err := records(flipped)
				switch {
				case err != nil:
					told++
				case slices.Equal(found, whole):
				case strings.Contains(strings.Join(found, "\n"), "passed over: "):
					told++ // its name is no more that of a source
				default:
					t.Errorf("bit %d of byte %d has changed, and nobody noticed: %q", bit, at, found)
				}
			}
			if told < flips/4 {
				t.Errorf("of %d flips only %d were told", flips, told)
			}
		})
	}
}

func flippedBook(t *testing.T) []byte {
	t.Helper()
	book := excelize.NewFile()
	for i, line := range strings.Split(strings.TrimSuffix(flippedText(), "\n"), "\n") {
		var row []any
		for _, text := range strings.Split(line, ",") {
			row = append(row, text)
		}
		if err := book.SetSheetRow("Sheet1", fmt.Sprintf("A%d", i+1), &row); err != nil {
			t.Fatal(err)
		}
	}
	var out bytes.Buffer
	if err := book.Write(&out); err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}
