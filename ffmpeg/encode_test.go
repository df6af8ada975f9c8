package ffmpeg_test

import (
	"context"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"reelhouse/core/frame"
	"reelhouse/core/movie"
	"reelhouse/core/pixel"
	"reelhouse/core/raster"
	"reelhouse/ffmpeg"
)

// patches are the colours of a test picture, in codes of 255.
var patches = [][3]int{
	{255, 255, 255}, {128, 128, 128}, {16, 16, 16}, {200, 40, 40}, {40, 180, 60}, {40, 60, 200}, {220, 200, 40},
	{90, 200, 210}, {0, 0, 0}, {180, 120, 100},
}

// drawn returns a frame of patches, of which one moves along, with alpha that grows from left to right.
func drawn(size raster.Size, n int, alpha bool) []byte {
	b := make([]byte, 8*size.Width*size.Height)
	for y := range size.Height {
		for x := range size.Width {
			p := patches[(x*len(patches)/size.Width+n*(y*2/size.Height))%len(patches)]
			i := 8 * (y*size.Width + x)
			for c := range 3 {
				binary.BigEndian.PutUint16(b[i+2*c:], uint16(p[c]*257))
			}
			a := uint16(65535)
			if alpha {
				a = uint16(65535 * (1 + 4*x/size.Width) / 4)
			}
			binary.BigEndian.PutUint16(b[i+6:], a)
		}
	}
	return b
}

// sound returns a WAVE file of a second and a half of a tone: 48 kHz, 16 bits, one channel.
func sound(t *testing.T) string {
	t.Helper()
	const rate, n = 48000, 72000
	b := []byte("RIFF\x00\x00\x00\x00WAVEfmt \x10\x00\x00\x00\x01\x00\x01\x00")
	b = binary.LittleEndian.AppendUint32(b, rate)
	b = binary.LittleEndian.AppendUint32(b, 2*rate)
	b = append(b, 2, 0, 16, 0, 'd', 'a', 't', 'a')
	b = binary.LittleEndian.AppendUint32(b, 2*n)
	for i := range n {
		b = binary.LittleEndian.AppendUint16(b, uint16(int16(8000*math.Sin(2*math.Pi*440*float64(i)/rate))))
	}
	binary.LittleEndian.PutUint32(b[4:], uint32(len(b)-8))
	path := filepath.Join(t.TempDir(), "tone.wav")
	if err := os.WriteFile(path, b, 0o644); err != nil {
		t.Fatal(err)
	}
	return path
}

// A probed is what ffprobe says of a movie by itself.
type probed struct {
	Streams []struct {
		Type      string            `json:"codec_type"`
		Codec     string            `json:"codec_name"`
		Width     int               `json:"width"`
		Height    int               `json:"height"`
		Format    string            `json:"pix_fmt"`
		Range     string            `json:"color_range"`
		Matrix    string            `json:"color_space"`
		Transfer  string            `json:"color_transfer"`
		Primaries string            `json:"color_primaries"`
		Aspect    string            `json:"sample_aspect_ratio"`
		Rate      string            `json:"avg_frame_rate"`
		Tags      map[string]string `json:"tags"`
	} `json:"streams"`
	Format struct {
		Duration string            `json:"duration"`
		Tags     map[string]string `json:"tags"`
	} `json:"format"`
}

// Movies of every codec, with alpha and without, of fractional rates, with sound, are what was asked for as ffprobe
// sees them, and their frames are those that were given. Ranges, matrix and curve are converted, not only said.
func TestMoviesAreWhatWasAskedFor(t *testing.T) {
	var programs ffmpeg.Programs
	if err := programs.Missing(); err != nil {
		t.Fatal(err)
	}
	tone := sound(t)
	rates := []frame.Rate{{Numerator: 24, Denominator: 1}, {Numerator: 24000, Denominator: 1001},
		{Numerator: 25, Denominator: 1}}
	for i, codec := range movie.Codecs() {
		for _, alpha := range []bool{false, true} {
			kind := codec.Kind()
			if alpha && !kind.Alpha {
				continue
			}
			name := fmt.Sprintf("%s, alpha %v", codec, alpha)
			encoder, err := programs.Encoder(t.Context(), codec)
			if err != nil {
				t.Logf("%s is left out: %v", name, err)
				continue
			}
			e := movie.Encoding{
				Codec: codec, Encoder: encoder, Size: raster.Size{Width: 333, Height: 187}, Rate: rates[i%3],
				Frames: 30,
				Alpha:  alpha, Curve: []pixel.Curve{pixel.SRGB, pixel.BT1886, pixel.Gamma22}[i%3], PixelAspect: 1.5,
				Timecode: "10:00:00:00", Sound: tone,
			}
			if kind.Even {
				e.Size = movie.Even(e.Size)
			}
			path := filepath.Join(t.TempDir(), "movie."+kind.Ending)
			err = programs.Encode(t.Context(), e, path, func(_ context.Context, w io.Writer) error {
				for n := range e.Frames {
					if _, err := w.Write(drawn(e.Size, n, alpha)); err != nil {
						return err
					}
				}
				return nil
			})
			if err != nil {
				t.Errorf("%s: %v", name, err)
				continue
			}
			f, width, height, err := programs.Facts(t.Context(), path)
			if err != nil || f.Frames != e.Frames || f.Rate != e.Rate && codec != movie.GIF ||
				width != e.Size.Width || height != e.Size.Height {
				t.Errorf("%s: %d × %d, %+v, %v", name, width, height, f, err)
				continue
			}
			if n, err := programs.Count(t.Context(), path); err != nil || n != e.Frames {
				t.Errorf("%s: %d frames are decoded, %v", name, n, err)
			}
			for _, n := range []int{0, e.Frames / 2, e.Frames - 1} {
				got, err := programs.Frame(t.Context(), e, path, f, n)
				if err != nil {
					t.Errorf("%s: frame %d: %v", name, n, err)
					continue
				}
				m := movie.Compare(drawn(e.Size, n, alpha), got)
				if err := e.Accept(m); err != nil {
					t.Errorf("%s: frame %d: %v, %+v", name, n, err, m)
				}
				if other := movie.Compare(drawn(e.Size, (n+1)%e.Frames, alpha), got); e.Accept(other) == nil {
					t.Errorf("%s: another frame is taken for frame %d", name, n)
				}
				patchesAgree(t, fmt.Sprintf("%s, frame %d", name, n), e, drawn(e.Size, n, alpha), got)
			}
			asProbed(t, name, e, path)
		}
	}
}

// patchesAgree fails if the middle of a patch is another colour: by more than 2 of 255 in H.264 of BT.709.
func patchesAgree(t *testing.T, name string, e movie.Encoding, want, got []byte) {
	t.Helper()
	within := 3
	switch e.Codec {
	case movie.H264:
		within = 2
	case movie.GIF:
		within = 20
	}
	for k := range patches {
		x, y := e.Size.Width*(2*k+1)/(2*len(patches)), e.Size.Height/4
		i := 8 * (y*e.Size.Width + x)
		for c := range 3 {
			w, g := int(want[i+2*c]), int(got[i+2*c])
			if d := w - g; d > within || d < -within {
				t.Errorf("%s: patch %d is %v, and was %v", name, k, got[i:i+8], want[i:i+8])
				break
			}
		}
	}
}

// asProbed compares a movie with what ffprobe says of it.
func asProbed(t *testing.T, name string, e movie.Encoding, path string) {
	t.Helper()
	out, err := exec.Command("ffprobe", "-v", "error", "-of", "json", "-show_streams", "-show_format", path).Output()
	if err != nil {
		t.Fatal(err)
	}
	var p probed
	if err := json.Unmarshal(out, &p); err != nil {
		t.Fatal(err)
	}
	v := p.Streams[0]
	kind := e.Codec.Kind()
	if e.Codec == movie.GIF {
		return
	}
	transfer := movie.Transfer(e.Curve)
	if v.Primaries != "bt709" || v.Transfer != transfer {
		t.Errorf("%s: it says primaries %q and curve %q", name, v.Primaries, v.Transfer)
	}
	if !kind.Lossless && (v.Matrix != "bt709" || v.Range != "tv") {
		t.Errorf("%s: it says matrix %q and range %q", name, v.Matrix, v.Range)
	}
	if v.Aspect != "3:2" {
		t.Errorf("%s: its pixel aspect is %s", name, v.Aspect)
	}
	has := false
	for _, s := range p.Streams {
		has = has || s.Type == "audio"
	}
	if has != kind.Sound {
		t.Errorf("%s: it has sound: %v", name, has)
	}
	if kind.Timecode && !strings.Contains(string(out), `"timecode": "10:00:00:00"`) {
		t.Errorf("%s: it has no timecode", name)
	}
	var seconds float64
	fmt.Sscan(p.Format.Duration, &seconds)
	if want := float64(e.Frames) / e.Rate.PerSecond(); math.Abs(seconds-want) > 1.5/e.Rate.PerSecond() {
		t.Errorf("%s: it lasts %v s, want %v", name, seconds, want)
	}
}

func TestWhatCannotBeEncodedIsSaid(t *testing.T) {
	var programs ffmpeg.Programs
	e := movie.Encoding{
		Codec: movie.H264, Encoder: "libx264", Size: raster.Size{Width: 64, Height: 36},
		Rate: frame.Rate{Numerator: 24, Denominator: 1}, Frames: 3,
	}
	full := func(_ context.Context, w io.Writer) error {
		for n := range 3 {
			if _, err := w.Write(drawn(e.Size, n, false)); err != nil {
				return err
			}
		}
		return nil
	}
	if err := programs.Encode(t.Context(), e, filepath.Join(t.TempDir(), "no", "where.mp4"), full); err == nil ||
		!strings.Contains(err.Error(), "ffmpeg cannot write it") {
		t.Error(err)
	}
	broken := errors.New("a frame is gone")
	path := filepath.Join(t.TempDir(), "a.mp4")
	if err := programs.Encode(t.Context(), e, path, func(context.Context, io.Writer) error {
		return broken
	}); !errors.Is(err, broken) {
		t.Error(err)
	}
	e.Encoder = "libnothing"
	if err := programs.Encode(t.Context(), e, path, full); err == nil || !strings.Contains(err.Error(), "libnothing") {
		t.Error(err)
	}
	missing := ffmpeg.Programs{FFmpeg: filepath.Join(t.TempDir(), "none")}
	if _, err := missing.Encoder(t.Context(), movie.H264); !errors.Is(err, ffmpeg.ErrMissing) {
		t.Error(err)
	}
}
