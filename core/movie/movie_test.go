package movie

import (
	"bufio"
	"bytes"
	"fmt"
	"io"
	"math"
	"strings"
	"testing"

	"reelhouse/core/frame"
	"reelhouse/core/pixel"
)

// said writes what ffprobe says of a movie whose frames are shown at times.
func said(stream string, times ...string) []byte {
	var packets []string
	for _, t := range times {
		packets = append(packets, fmt.Sprintf(`{"pts_time": %q, "flags": "__"}`, t))
	}
	return []byte(`{"packets": [` + strings.Join(packets, ",") + `], "streams": [` + stream +
		`], "format": {"start_time": "0.000000"}}`)
}

const usual = `"codec_name": "h264", "width": 1920, "height": 1080, "pix_fmt": "yuv420p", "color_range": "tv",
	"color_space": "bt709", "color_transfer": "bt709", "color_primaries": "bt709", "avg_frame_rate": "24/1",
	"r_frame_rate": "24/1", "sample_aspect_ratio": "1:1", "bits_per_raw_sample": "8"`

// with returns the usual stream with something said otherwise.
func with(changes ...string) string {
	text := usual
	for i := 0; i < len(changes); i += 2 {
		from := text[strings.Index(text, `"`+changes[i]+`"`):]
		from = from[:strings.IndexAny(from+",", ",")]
		text = strings.Replace(text, from, fmt.Sprintf("%q: %s", changes[i], changes[i+1]), 1)
	}
	return "{" + text + "}"
}

func TestFactsOfMovies(t *testing.T) {
	film := frame.Rate{Numerator: 24, Denominator: 1}
	at24 := []string{"0.083333", "0.041667", "0.000000", "0.125000"} // frames come in the order of decoding
	for name, c := range map[string]struct {
		stream string
		times  []string
		want   Facts
	}{
		"usual": {
			with(), at24,
			Facts{Codec: "h264", Frames: 4, Rate: film, Matrix: "bt709"},
		},
		"times in milliseconds": {
			with("avg_frame_rate", `"24000/1001"`), []string{"0.5", "0.542", "0.583", "0.625", "0.667"},
			Facts{
				Codec: "h264", Frames: 5, Rate: frame.Rate{Numerator: 24000, Denominator: 1001}, Start: 0.5,
				Matrix: "bt709",
			},
		},
		"nothing said of colours, small": {
			with("color_space", `"unknown"`, "color_transfer", `"unknown"`, "height", "576", "sample_aspect_ratio",
				`"16:15"`),
			at24, Facts{
				Codec: "h264", Frames: 4, Rate: film, Matrix: "bt601",
				PixelAspect: 16.0 / 15, Assumed: true,
			},
		},
		"nothing said of colours, large": {
			with("color_space", `"unknown"`), at24,
			Facts{
				Codec: "h264", Frames: 4, Rate: film, Matrix: "bt709", Assumed: true,
			},
		},
		"red, green and blue": {
			with("pix_fmt", `"gbrp"`, "color_space", `"gbr"`, "color_transfer", `"unknown"`), at24,
			Facts{
				Codec: "h264", Frames: 4, Rate: film, Full: true, Curve: pixel.SRGB,
				Assumed: true,
			},
		},
		"12 bits, wide": {
			with(
				"pix_fmt", `"yuv444p12le"`, "bits_per_raw_sample", `"N/A"`, "color_range", `"pc"`, "color_space",
				`"bt2020nc"`, "color_transfer", `"bt2020-12"`, "color_primaries", `"bt2020"`,
			), at24,
			Facts{
				Codec: "h264", Frames: 4, Rate: film, Deep: true, Full: true,
				Matrix: "bt2020", Primaries: "bt2020",
			},
		},
	} {
		if c.want.Curve == "" {
			c.want.Curve = pixel.BT1886
		}
		if c.want.PixelAspect == 0 {
			c.want.PixelAspect = 1
		}
		if got, err := ReadFacts(said(c.stream, c.times...)); err != nil || got != c.want {
			t.Errorf("%s: %+v, %v; want %+v", name, got, err, c.want)
		}
	}
}

func TestWrongMoviesAreRefusedWithTheReason(t *testing.T) {
	for want, text := range map[string][]byte{
		"no pictures":               said("", "0", "1"),
		"one frame":                 said(with(), "0"),
		"when each of its frames":   said(with(), "0", "N/A"),
		"not shown at one rate":     said(with(), "0", "0.04", "0.3", "0.35"),
		"its curve smpte2084":       said(with("color_transfer", `"smpte2084"`), "0", "0.041667"),
		"its matrix ictcp":          said(with("color_space", `"ictcp"`), "0", "0.041667"),
		"its primaries film":        said(with("color_primaries", `"film"`), "0", "0.041667"),
		"million are possible":      said(with("width", "99999999"), "0", "0.041667"),
		"its frames have 0 × 1080":  said(with("width", "0"), "0", "0.041667"),
		"what ffprobe says":         []byte("Segmentation fault"),
		"its frames have 9 × -1080": said(with("width", "9", "height", "-1080"), "0", "0.041667"),
	} {
		if f, err := ReadFacts(text); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %+v, %v", want, f, err)
		}
	}
}

func TestFramesBySeconds(t *testing.T) {
	f := Facts{Frames: 100, Rate: frame.Rate{Numerator: 30, Denominator: 1}}
	for seconds, want := range map[float64]int{
		-3: 0, 0: 0, 1.0 / 30: 1, 0.999 / 30: 0, 2: 60, 1e9: 99, 7.0 / 24: 8, math.Inf(1): 99,
	} {
		if got := f.At(seconds); got != want {
			t.Errorf("%g s: %d, want %d", seconds, got, want)
		}
	}
}

// Codes become the light of their curve: ITU-R BT.1886 by its formula, with a black of 0; and light of other primaries
// that of BT.709, by the matrix of ITU-R BT.2087 turned round.
func TestCodesBecomeLight(t *testing.T) {
	img, err := Facts{
		Curve: pixel.BT1886,
	}.Light(
		Codes{Width: 2, Height: 1, Most: 255, Bytes: []byte{0, 128, 255, 1, 2, 3}},
	)
	if err != nil {
		t.Fatal(err)
	}
	for k, want := range []float64{0, math.Pow(128.0/255, 2.4), 1} {
		if got := float64(img.Planes[k].Data[0]); math.Abs(got-want) > 1e-6 {
			t.Errorf("channel %d: %g, want %g", k, got, want)
		}
	}
	deep := Codes{Width: 1, Height: 1, Most: 65535, Bytes: []byte{0xff, 0xff, 0, 0, 0x80, 0}}
	img, err = Facts{Curve: pixel.Linear, Primaries: "bt2020"}.Light(deep)
	if err != nil {
		t.Fatal(err)
	}
	b := 32768.0 / 65535
	for k, want := range []float64{1.6605 - 0.0728*b, -0.1246 - 0.0083*b, -0.0182 + 1.1187*b} {
		if got := float64(img.Planes[k].Data[0]); math.Abs(got-want) > 2e-4 {
			t.Errorf("channel %d: %g, want %g", k, got, want)
		}
	}
}

func TestPixmaps(t *testing.T) {
	r := bufio.NewReader(strings.NewReader("P6\n2 1\n255\nabcdefP6\n1 1\n65535\nghijkl"))
	first, err := ReadCodes(r)
	if err != nil || first.Width != 2 || string(first.Bytes) != "abcdef" {
		t.Fatalf("%+v, %v", first, err)
	}
	second, err := ReadCodes(r)
	if err != nil || second.Most != 65535 || string(second.Bytes) != "ghijkl" || second.Size() != 6 {
		t.Fatalf("%+v, %v", second, err)
	}
	if _, err := ReadCodes(r); err != io.EOF {
		t.Fatal(err)
	}
	for _, text := range []string{
		"P5\n1 1\n255\na", "P6\n1 1\n255\nab", "P6\n0 1\n255\n", "P6\n99999999 99999999\n255\n", "P6\n1 1\n7\nabc",
		"P6\n-1 -1\n255\nabc", "x",
	} {
		if c, err := ReadCodes(bufio.NewReader(strings.NewReader(text))); err == nil || err == io.EOF {
			t.Errorf("%q: %+v, %v", text, c, err)
		}
	}
}

// FuzzFacts reads any text as what is said of a movie: it never breaks, and what it lets through can be asked for.
func FuzzFacts(f *testing.F) {
	f.Add(said(with(), "0", "0.041667"))
	f.Add(said(with("avg_frame_rate", `"0/0"`, "sample_aspect_ratio", `"0:1"`), "0", "0.041667"))
	f.Add([]byte(`{"streams": [{}], "packets": null}`))
	f.Fuzz(func(t *testing.T, text []byte) {
		facts, err := ReadFacts(text)
		if err != nil {
			return
		}
		if facts.Frames < 2 || !facts.Rate.Valid() || facts.PixelAspect <= 0 || facts.Start-facts.Start != 0 {
			t.Fatalf("%+v", facts)
		}
		if _, err := facts.Light(Codes{Width: 1, Height: 1, Most: 255, Bytes: []byte{1, 2, 3}}); err != nil {
			t.Fatal(err)
		}
		if args := strings.Join(facts.DecodeArguments("x", facts.Frames-1, 1), " "); strings.Contains(args, "NaN") {
			t.Fatal(args)
		}
	})
}

// FuzzCodes reads any bytes as a pixmap.
func FuzzCodes(f *testing.F) {
	f.Add([]byte("P6\n2 1\n255\nabcdef"))
	f.Add([]byte("P6\n1 1\n65535\nabcdef"))
	f.Fuzz(func(t *testing.T, data []byte) {
		if len(data) > 1<<16 || bytes.Count(data, []byte("9")) > 6 {
			return // what takes much memory is bounded, and slow
		}
		c, err := ReadCodes(bufio.NewReader(bytes.NewReader(data)))
		if err == nil && len(c.Bytes) == 0 {
			t.Fatalf("%+v", c)
		}
	})
}
