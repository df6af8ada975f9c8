package cut

import (
	"bytes"
	"encoding/binary"
	"math"
	"testing"
)

// wave makes a WAVE file: a second of silence and a second of a full sine, in a number of channels.
func wave(kind, bits, channels int) []byte {
	const rate = 8000
	var data bytes.Buffer
	for i := range 2 * rate {
		v := 0.0
		if i >= rate {
			v = math.Sin(2 * math.Pi * 100 * float64(i) / rate)
		}
		for range channels {
			switch {
			case kind == waveFloat:
				binary.Write(&data, binary.LittleEndian, float32(v))
			case bits == 8:
				data.WriteByte(byte(128 + 127*v))
			case bits == 16:
				binary.Write(&data, binary.LittleEndian, int16(32767*v))
			case bits == 24:
				n := int32(8388607 * v)
				data.Write([]byte{byte(n), byte(n >> 8), byte(n >> 16)})
			default:
				binary.Write(&data, binary.LittleEndian, int32(2147483647*v))
			}
		}
	}
	var b bytes.Buffer
	b.WriteString("RIFF\x00\x00\x00\x00WAVELIST\x03\x00\x00\x00abc\x00fmt \x10\x00\x00\x00")
	for _, v := range []any{uint16(kind), uint16(channels), uint32(rate), uint32(rate * channels * bits / 8),
		uint16(channels * bits / 8), uint16(bits)} {
		binary.Write(&b, binary.LittleEndian, v)
	}
	b.WriteString("data")
	binary.Write(&b, binary.LittleEndian, uint32(data.Len()))
	b.Write(data.Bytes())
	return b.Bytes()
}

func TestWaveforms(t *testing.T) {
	for _, c := range []struct{ kind, bits, channels int }{{wavePCM, 8, 1}, {wavePCM, 16, 2}, {wavePCM, 24, 1},
		{wavePCM, 32, 6}, {waveFloat, 32, 2}} {
		w, err := ReadWAV(bytes.NewReader(wave(c.kind, c.bits, c.channels)), 100)
		if err != nil || w.Seconds != 2 || w.Channels != c.channels || len(w.Peaks) != 100 {
			t.Errorf("%+v: %+v, %v", c, w.Seconds, err)
			continue
		}
		if quiet, loud := w.Peaks[20], w.Peaks[80]; quiet[1] > 0.01 || loud[1] < 0.98 || loud[0] > -0.98 {
			t.Errorf("%+v: quiet %v, loud %v", c, quiet, loud)
		}
	}
	good := wave(wavePCM, 16, 1)
	for what, bad := range map[string][]byte{"nothing": nil, "no RIFF": []byte("RIFX00000000WAVE"),
		"cut off": good[:len(good)-10], "no samples": good[:40], "12 bits": wave(wavePCM, 12, 2)[:60]} {
		if _, err := ReadWAV(bytes.NewReader(bad), 10); err == nil {
			t.Errorf("%s was read", what)
		}
	}
}

func FuzzWAV(f *testing.F) {
	f.Add(wave(wavePCM, 16, 1)[:200])
	f.Add(wave(waveFloat, 32, 2)[:200])
	f.Fuzz(func(t *testing.T, data []byte) {
		w, err := ReadWAV(bytes.NewReader(data), 50)
		if err == nil && (len(w.Peaks) > 50 || math.IsNaN(w.Seconds)) {
			t.Errorf("%+v", w)
		}
	})
}
