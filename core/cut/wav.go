package cut

import (
	"bufio"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math"
)

// A Waveform is what a sound file looks like: its loudest values, part by part.
type Waveform struct {
	Seconds  float64
	Rate     int // samples a second
	Channels int
	// Peaks are the lowest and the highest value of all channels in each of equal parts, from -1 to 1.
	Peaks [][2]float32
}

// Encodings of a RIFF/WAVE file ("Multimedia Programming Interface and Data Specifications 1.0", IBM and Microsoft,
// 1991; WAVE_FORMAT_EXTENSIBLE from its later supplement).
const (
	wavePCM        = 1
	waveFloat      = 3
	waveExtensible = 0xfffe
)

// MaxSound is the largest sound file, in bytes.
const MaxSound = 4 << 30

// ReadWAV reads a WAVE file of whole numbers of 8, 16, 24 or 32 bits, or of floats of 32 bits, and returns its waveform
// in so many parts.
func ReadWAV(r io.Reader, parts int) (Waveform, error) {
	in := bufio.NewReaderSize(r, 1<<16)
	var head [12]byte
	if _, err := io.ReadFull(in, head[:]); err != nil || string(head[:4]) != "RIFF" || string(head[8:]) != "WAVE" {
		return Waveform{}, errors.New("this is no WAVE file (RIFF)")
	}
	var w Waveform
	var kind, bits, frame int
	for {
		var chunk [8]byte
		if _, err := io.ReadFull(in, chunk[:]); err != nil {
			return Waveform{}, errors.New("the WAVE file ends before its samples")
		}
		name, size := string(chunk[:4]), int64(binary.LittleEndian.Uint32(chunk[4:]))
		switch name {
		case "fmt ":
			if size < 16 || size > 1024 {
				return Waveform{}, fmt.Errorf("the WAVE file's format takes %d bytes", size)
			}
			f := make([]byte, size+size%2)
			if _, err := io.ReadFull(in, f); err != nil {
				return Waveform{}, errors.New("the WAVE file ends in its format")
			}
			kind, w.Channels, w.Rate = int(binary.LittleEndian.Uint16(f)), int(
				binary.LittleEndian.Uint16(f[2:]),
			), int(binary.LittleEndian.Uint32(f[4:]))
			frame, bits = int(binary.LittleEndian.Uint16(f[12:])), int(binary.LittleEndian.Uint16(f[14:]))
			if kind == waveExtensible && size >= 26 {
				kind = int(binary.LittleEndian.Uint16(f[24:]))
			}
			known := kind == wavePCM && (bits == 8 || bits == 16 || bits == 24 || bits == 32) ||
				kind == waveFloat && bits == 32
			if !known || w.Channels < 1 || w.Channels > 64 || w.Rate < 1 || frame != w.Channels*bits/8 {
				return Waveform{}, fmt.Errorf(
					"a WAVE file of encoding %d with %d bits in %d channels at %d Hz cannot be read; save it as PCM "+
						"of 16 or 24 bits",
					kind, bits, w.Channels, w.Rate,
				)
			}
		case "data":
			if frame == 0 {
				return Waveform{}, errors.New("the WAVE file's samples come before their format")
			}
			return w, w.read(in, size/int64(frame), kind, bits, parts)
		default:
			if _, err := io.CopyN(io.Discard, in, size+size%2); err != nil {
				return Waveform{}, errors.New("the WAVE file ends before its samples")
			}
		}
	}
}

// read reads the samples.
func (w *Waveform) read(in io.Reader, frames int64, kind, bits, parts int) error {
	w.Seconds = float64(frames) / float64(w.Rate)
	w.Peaks = make([][2]float32, min(int64(parts), max(1, frames)))
	buffer := make([]byte, w.Channels*bits/8)
	for i := range frames {
		if _, err := io.ReadFull(in, buffer); err != nil {
			return fmt.Errorf("the WAVE file has %d of the %d samples that it promises", i, frames)
		}
		p := &w.Peaks[i*int64(len(w.Peaks))/frames]
		for at := 0; at < len(buffer); at += bits / 8 {
			v := sampleValue(buffer[at:], kind, bits)
			p[0], p[1] = min(p[0], v), max(p[1], v)
		}
	}
	return nil
}

// sampleValue returns one value, from -1 to 1.
func sampleValue(b []byte, kind, bits int) float32 {
	switch {
	case kind == waveFloat:
		v := math.Float32frombits(binary.LittleEndian.Uint32(b))
		if v != v {
			return 0
		}
		return max(-1, min(1, v))
	case bits == 8: // from 0 to 255
		return (float32(b[0]) - 128) / 128
	case bits == 16:
		return float32(int16(binary.LittleEndian.Uint16(b))) / (1 << 15)
	case bits == 24:
		return float32(int32(uint32(b[0])<<8|uint32(b[1])<<16|uint32(b[2])<<24)) / (1 << 31)
	}
	return float32(int32(binary.LittleEndian.Uint32(b))) / (1 << 31)
}
