package png

import (
	"bytes"
	"encoding/binary"
	"sync"

	"github.com/klauspost/compress/flate"

	"dyekit/core/adler"
	"dyekit/core/parallel"
)

const (
	// Between these a block of lines is compressed at a time, a sixteenth of the
	// picture. The number of cores does not matter: the same picture gives the
	// same file everywhere.
	leastBlock, mostBlock = 256 << 10, 1 << 20
	// window is how far back deflate looks (RFC 1951).
	window = 32 << 10
	// Samples of so many blocks, this long, are tried to choose between filters
	// and none.
	samples, sampleSize = 16, 96 << 10
	// Levels of deflate: the highest for shades; the second to try with; the
	// third for noise and photographs, in which there is next to nothing to find;
	// the last for a quick file.
	highest, high, coarse, quickest = 9, 7, 5, 1
	// noisy is the share of its bytes that deflate leaves of noise.
	noisy = 0.6
	// shaded is the part of its bytes that the runs of a picture leave at least if
	// it has shades, of which filters leave less.
	shaded = 3
)

// A band is a stretch of lines of a pass.
type band struct {
	pass     pass
	from, to int
}

func (b band) size() int { return (b.to - b.from) * b.pass.line }

func (r *rows) bands() (all []band, total int) {
	for _, p := range r.passes {
		total += p.h * p.line
	}
	block := min(mostBlock, max(leastBlock, total/16))
	for _, p := range r.passes {
		step := max(1, block/p.line)
		for y := 0; y < p.h; y += step {
			all = append(all, band{p, y, min(p.h, y+step)})
		}
	}
	return all, total
}

// deflate returns the zlib stream of the lines (RFC 1950): of flat art by its
// runs. Bands of other pictures are compressed at once on all cores, each with
// the end of the one before it to look back to.
func (r *rows) deflate(quick bool) []byte {
	bands, total := r.bands()
	if !r.lively {
		if out := r.tokens(); r.flat || len(out) < total/shaded {
			return out
		}
	}
	level := highest
	if quick {
		level, r.filtered = quickest, r.colors == nil
	} else {
		var ratio float64
		if r.filtered, ratio = r.filtersPay(bands, level); ratio > noisy {
			level = coarse
		}
	}
	parts := make([][]byte, len(bands))
	sums := make([]uint32, len(bands))
	parallel.Each(len(bands), func(i int) {
		b := bands[i]
		raw := r.lines(b.pass, b.from, b.to)
		var dict []byte
		if i > 0 {
			dict = r.tail(bands[i-1])
		}
		parts[i], sums[i] = squeeze(raw, dict, level, i == len(bands)-1), adler.Checksum(raw)
	})
	out := []byte{0x78, 0xda} // window of 32 kB, slowest algorithm
	sum := uint32(adler.New)
	for i, p := range parts {
		out = append(out, p...)
		sum = adler.Join(sum, sums[i], bands[i].size())
	}
	return binary.BigEndian.AppendUint32(out, sum)
}

// tail returns the last lines of a band, a window's worth.
func (r *rows) tail(b band) []byte {
	from := max(b.from, b.to-(window+b.pass.line-1)/b.pass.line)
	raw := r.lines(b.pass, from, b.to)
	return raw[max(0, len(raw)-window):]
}

// filtersPay tries blocks from all over the picture both ways: flat art is
// smallest unfiltered, soft shades are not. ratio is what the better way leaves
// of the bytes.
func (r *rows) filtersPay(bands []band, level int) (pay bool, ratio float64) {
	if r.kind == palette {
		return false, 0
	}
	step := max(1, len(bands)/samples)
	var size [2]int
	raw := 0
	for k := range size {
		raw = 0
		r.filtered = k == 1
		var tried []band
		for i := step / 2; i < len(bands); i += step {
			b := bands[i]
			b.to = min(b.to, b.from+max(1, sampleSize/b.pass.line))
			raw += b.size()
			tried = append(tried, b)
		}
		lens := make([]int, len(tried))
		parallel.Each(len(tried), func(i int) {
			b := tried[i]
			lens[i] = len(squeeze(r.lines(b.pass, b.from, b.to), nil, min(level, high), true))
		})
		for _, n := range lens {
			size[k] += n
		}
	}
	return size[1] < size[0], float64(min(size[0], size[1])) / float64(max(1, raw))
}

// writers are kept for the next block: each holds tables of a megabyte.
var writers [10]sync.Pool

// squeeze compresses one block; the last one ends the stream.
func squeeze(raw, dict []byte, level int, last bool) []byte {
	var out bytes.Buffer
	w, ok := writers[level].Get().(*flate.Writer)
	if !ok {
		var err error
		if w, err = flate.NewWriterDict(&out, level, nil); err != nil {
			panic(err) // the levels are constants
		}
	}
	w.ResetDict(&out, dict)
	w.Write(raw) // a bytes.Buffer takes everything
	if last {
		w.Close()
	} else {
		w.Flush()
	}
	writers[level].Put(w)
	return out.Bytes()
}
