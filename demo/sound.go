package demo

import (
	"bytes"
	"encoding/binary"
	"math"
)

// SoundName is what the sound of the cut is called.
const SoundName = "harbour_at_dusk.wav"

// Sound is a WAVE file of what is heard along the cut: water at the quay, and the ferry's horn, 48 kHz, 16 bits.
func Sound() []byte {
	const rate, seconds = 48000, 6
	samples := make([]int16, rate*seconds)
	noise, slow, slower := uint32(1), 0.0, 0.0
	for i := range samples {
		t := float64(i) / rate
		noise = noise*1664525 + 1013904223 // Numerical Recipes' generator
		white := float64(noise>>8)/(1<<23) - 1
		slow += (white - slow) * 0.04
		slower += (slow - slower) * 0.02
		lapping := 0.5 + 0.5*math.Sin(2*math.Pi*0.37*t)*math.Sin(2*math.Pi*0.11*t+1)
		v := 1.6 * (slower + 0.25*slow) * (0.4 + 0.6*lapping)
		for _, horn := range [][2]float64{{0.8, 2.2}, {4.2, 5.4}} { // seconds from and to
			swell := math.Min(1, math.Min((t-horn[0])/0.15, (horn[1]-t)/0.4))
			if swell <= 0 {
				continue
			}
			for k, share := range []float64{1, 0.5, 0.33, 0.2} {
				v += 0.09 * swell * share * math.Sin(2*math.Pi*float64(k+1)*138*t)
				v += 0.07 * swell * share * math.Sin(2*math.Pi*float64(k+1)*174*t)
			}
		}
		samples[i] = int16(20000 * math.Max(-1, math.Min(1, v)))
	}
	var b bytes.Buffer
	b.WriteString("RIFF")
	binary.Write(&b, binary.LittleEndian, uint32(36+2*len(samples)))
	b.WriteString("WAVEfmt ")
	binary.Write(&b, binary.LittleEndian, []uint32{16, 1 | 1<<16, rate, 2 * rate, 2 | 16<<16})
	b.WriteString("data")
	binary.Write(&b, binary.LittleEndian, uint32(2*len(samples)))
	binary.Write(&b, binary.LittleEndian, samples)
	return b.Bytes()
}
