package movie

import (
	"cmp"
	"fmt"
	"math"
	"strconv"
	"strings"

	"reelhouse/core/frame"
	"reelhouse/core/pixel"
	"reelhouse/core/raster"
)

// An Encoding is what a movie is written as. Frames are given as R'G'B'A of 16 bits each, the greater byte first.
type Encoding struct {
	Codec       Codec
	Encoder     string // of ffmpeg
	Size        raster.Size
	Rate        frame.Rate
	Frames      int
	Alpha       bool        // it is kept; straight
	Curve       pixel.Curve // of the codes, which have the primaries of BT.709
	PixelAspect float64     // 0 for 1
	Timecode    string      // of the first frame, "" for none
	Sound       string      // path of a WAVE file that plays along, "" for none
	Delay       float64     // seconds after which the sound begins
}

// Transfer returns what ffmpeg calls a curve: the one that its readers, and ReadFacts, take for it.
func Transfer(c pixel.Curve) string {
	switch c {
	case pixel.BT1886:
		return "bt709"
	case pixel.Gamma22:
		return "bt470m"
	}
	return "iec61966-2-1"
}

// EncodeArguments are those of ffmpeg, which reads frames from its input and writes the movie to a path.
func (e Encoding) EncodeArguments(path string) []string {
	k := e.Codec.Kind()
	rate := fmt.Sprintf("%d/%d", e.Rate.Numerator, e.Rate.Denominator)
	args := []string{
		"-nostdin", "-v", "error", "-y", "-f", "rawvideo", "-pix_fmt", "rgba64be", "-s",
		fmt.Sprintf("%dx%d", e.Size.Width, e.Size.Height),
		"-framerate", rate, "-i", "pipe:0",
	}
	sound := e.Sound != "" && k.Sound
	if sound {
		args = append(args, "-itsoffset", strconv.FormatFloat(e.Delay, 'f', 6, 64), "-protocol_whitelist", "file",
			"-format_whitelist", "wav", "-i", "file:"+e.Sound)
	}
	args = append(args, "-map", "0:v:0")
	if sound {
		args = append(args, "-map", "1:a:0")
		args = append(args, k.sound...)
	}
	aspect := fmt.Sprintf("setsar=%s", ratio(cmp.Or(e.PixelAspect, 1)))
	if e.Codec == GIF {
		args = append(
			args,
			"-filter_complex",
			"[0:v]"+aspect+
				",format=rgb24,split[a][b];[a]palettegen=stats_mode=full[p];[b][p]paletteuse=dither=bayer[out]",
		)
		args[len(args)-3] = "[out]" // in the place of the plain pictures
		return append(args, "-c:v", e.Encoder, "-loop", "0", "-f", k.muxer, "file:"+path)
	}
	format := k.formats[0]
	if e.Alpha {
		format = k.formats[1]
	}
	scale := "scale=flags=bicubic+accurate_rnd+full_chroma_int+full_chroma_inp"
	matrix, limits := "bt709", "tv"
	if k.Lossless { // it stays R'G'B'
		matrix, limits = "rgb", "pc"
	} else {
		scale += ":out_color_matrix=bt709:out_range=tv"
	}
	said := fmt.Sprintf("setparams=range=%s:color_primaries=bt709:color_trc=%s:colorspace=%s", limits,
		Transfer(e.Curve), strings.Replace(matrix, "rgb", "gbr", 1))
	args = append(args, "-vf", scale+",format="+format+","+said+","+aspect, "-c:v", e.Encoder, "-r", rate)
	args = append(args, k.how...)
	args = append(args, "-color_primaries", "bt709", "-color_trc",
		strings.Replace(Transfer(e.Curve), "bt470m", "gamma22", 1), "-colorspace", matrix,
		"-color_range", limits)
	if e.Timecode != "" && k.Timecode {
		args = append(args, "-timecode", e.Timecode)
	}
	return append(args, "-t", strconv.FormatFloat(float64(e.Frames)/e.Rate.PerSecond(), 'f', 6, 64), "-f", k.muxer,
		"file:"+path)
}

// ratio writes a pixel aspect as a fraction.
func ratio(aspect float64) string {
	const under = 1000
	over := int(math.Round(aspect * under))
	a, b := over, under
	for b != 0 {
		a, b = b, a%b
	}
	return fmt.Sprintf("%d/%d", over/a, under/a)
}

// Even returns a size whose edges are even, which no pixel is lost by.
func Even(s raster.Size) raster.Size {
	return raster.Size{Width: s.Width + s.Width%2, Height: s.Height + s.Height%2}
}

// CountArguments are those of ffprobe for how many frames it decodes, which it says as a number.
func CountArguments(path string) []string {
	return append(guarded(), "-of", "csv=p=0", "-select_streams", "v:0", "-count_frames", "-show_entries",
		"stream=nb_read_frames", "file:"+path)
}

// CheckArguments are those of ffmpeg for one frame of a movie that was made, counted from 0, as R'G'B'A of 16 bits. It
// is found by decoding all before it.
func (e Encoding) CheckArguments(path string, f Facts, n int) []string {
	args := append([]string{"-nostdin"}, guarded()...)
	if e.Codec == VP9 { // of the decoders, this one alone reads alpha
		args = append(args, "-c:v", "libvpx-vp9")
	}
	scale := "scale=flags=bicubic+accurate_rnd+full_chroma_int+full_chroma_inp"
	if f.Matrix != "" {
		scale += ":in_color_matrix=" + f.Matrix + ":in_range=tv:out_range=pc"
	}
	return append(args, "-i", "file:"+path, "-map", "0:v:0", "-fps_mode", "passthrough", "-vf",
		fmt.Sprintf("select=eq(n\\,%d),%s,format=rgba64be", n, scale), "-frames:v", "1", "-f", "rawvideo", "pipe:1")
}

// A Match is how far a decoded frame is from what was encoded, in codes of 255.
type Match struct {
	Mean  [4]float64 // difference of the means of red, green, blue and alpha
	Error float64    // mean difference of red, green and blue
}

// Compare compares frames of R'G'B'A of 16 bits. Colour is compared where it is seen.
func Compare(encoded, decoded []byte) (m Match) {
	var sums [4]float64
	covered, pixels := 0.0, 0.0
	for i := 0; i+8 <= len(encoded) && i+8 <= len(decoded); i += 8 {
		at := func(b []byte, c int) float64 { return float64(int(b[i+2*c])<<8|int(b[i+2*c+1])) / 257 }
		a := at(encoded, 3) / 255
		for c := range 3 {
			d := at(decoded, c) - at(encoded, c)
			sums[c] += d * a
			m.Error += math.Abs(d) * a / 3
		}
		sums[3] += at(decoded, 3) - at(encoded, 3)
		covered, pixels = covered+a, pixels+1
	}
	for c := range 3 {
		m.Mean[c] = sums[c] / max(1, covered)
	}
	m.Mean[3] = sums[3] / max(1, pixels)
	m.Error /= max(1, covered)
	return m
}

// What a codec may lose, in codes of 255: of means, and of single values.
const (
	meanWithin  = 4.0
	errorWithin = 14.0
	gifWithin   = 12.0
)

// Accept says what is wrong with a decoded frame by what its codec may lose, nil for nothing.
func (e Encoding) Accept(m Match) error {
	mean, single := meanWithin, errorWithin
	switch {
	case e.Codec.Kind().Lossless:
		mean, single = 0, 0
	case e.Codec == GIF:
		mean, single = gifWithin, 2*gifWithin
	}
	for c, name := range []string{"red", "green", "blue", "alpha"} {
		if c == 3 && !e.Alpha {
			continue
		}
		if d := m.Mean[c]; math.Abs(d) > mean {
			return fmt.Errorf("%s is %.1f of 255 off", name, d)
		}
	}
	if m.Error > single {
		return fmt.Errorf("its values are %.1f of 255 off", m.Error)
	}
	return nil
}
