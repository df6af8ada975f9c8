package ffmpeg

import (
	"bytes"
	"context"
	"errors"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"reelhouse/core/movie"
	"reelhouse/core/pixel"
)

// The movies of these tests have so many frames of so many pixels.
const (
	frames = 40
	width  = 64
	height = 48
)

// colourOf is what a frame shows on its left, and what on its right.
func colourOf(n int) (left, right [3]byte) {
	return [3]byte{byte(20 + 5*n), byte(230 - 5*n), 128}, [3]byte{200, 60, byte(20 + 5*n)}
}

// makeMovie has ffmpeg write a movie, of which every frame shows which one it is.
func makeMovie(t *testing.T, name string, args ...string) string {
	t.Helper()
	if _, err := exec.LookPath("ffmpeg"); err != nil {
		t.Skip("ffmpeg (Debian's ffmpeg) is not there")
	}
	var raw bytes.Buffer
	for n := range frames {
		left, right := colourOf(n)
		for range height {
			for x := range width {
				if x < width/2 {
					raw.Write(left[:])
				} else {
					raw.Write(right[:])
				}
			}
		}
	}
	path := filepath.Join(t.TempDir(), name)
	rate := "24"
	if len(args) > 1 && args[0] == "-r" {
		rate, args = args[1], args[2:]
	}
	all := append([]string{
		"-v", "error", "-f", "rawvideo", "-pix_fmt", "rgb24", "-s", "64x48", "-r", rate, "-i", "pipe:0",
	}, args...)
	cmd := exec.Command("ffmpeg", append(all, path)...)
	cmd.Stdin = &raw
	if out, err := cmd.CombinedOutput(); err != nil {
		t.Fatalf("%s: %v\n%s", name, err, out)
	}
	return path
}

// Each frame of a movie is found by its number, in any order, whatever the file and however it counts time; and its
// colours are those that went in, as far as the codec keeps them. ffmpeg itself writes the movies.
func TestFramesAreFoundByNumber(t *testing.T) {
	tagged := []string{
		"-vf", "scale=out_color_matrix=bt709:out_range=tv", "-color_range", "tv", "-colorspace", "bt709",
		"-color_primaries", "bt709", "-color_trc", "iec61966-2-1",
	}
	for name, c := range map[string]struct {
		args []string
		off  float64 // codes of 255
		want movie.Facts
	}{
		"h264.mp4": {
			append([]string{"-c:v", "libx264", "-crf", "8", "-pix_fmt", "yuv420p", "-bf", "3"}, tagged...), 4,
			movie.Facts{Matrix: "bt709", Curve: pixel.SRGB},
		},
		"fraction.mkv": {
			append([]string{"-r", "24000/1001", "-c:v", "libx264", "-crf", "8", "-pix_fmt", "yuv444p"}, tagged...), 4,
			movie.Facts{Matrix: "bt709", Curve: pixel.SRGB},
		},
		"full.mp4": {
			[]string{
				"-c:v", "libx264", "-crf", "8", "-pix_fmt", "yuvj444p",
				"-vf", "scale=out_color_matrix=bt709:out_range=pc", "-colorspace", "bt709", "-color_range", "pc",
			}, 4,
			movie.Facts{Matrix: "bt709", Curve: pixel.BT1886, Full: true, Assumed: true},
		},
		"prores.mov": {
			append(
				[]string{"-r", "25", "-c:v", "prores_ks"}, // which takes from each frame what its colours are
				"-vf", tagged[1]+",format=yuv422p10le,setparams=range=tv:colorspace=bt709:color_primaries=bt709:"+
					"color_trc=bt709",
			), 4,
			movie.Facts{Matrix: "bt709", Curve: pixel.BT1886, Deep: true},
		},
		"ffv1.mkv": {
			[]string{"-c:v", "ffv1", "-pix_fmt", "gbrp"}, 0.01,
			movie.Facts{Curve: pixel.SRGB, Full: true, Assumed: true},
		},
		"untagged.webm": {
			[]string{"-r", "30", "-c:v", "libvpx-vp9", "-pix_fmt", "yuv420p", "-crf", "8", "-b:v", "0"}, 5,
			movie.Facts{Matrix: "bt601", Curve: pixel.BT1886, Assumed: true},
		},
		"late.ts": {
			[]string{"-r", "25", "-c:v", "mpeg2video", "-q:v", "2", "-bf", "2", "-g", "10"}, 8,
			movie.Facts{Matrix: "bt601", Curve: pixel.BT1886, Assumed: true},
		},
		"moving.gif": {
			[]string{
				"-r", "20", "-filter_complex", "split[a][b];[a]palettegen[p];[b][p]paletteuse=dither=none",
			}, 4, movie.Facts{Curve: pixel.SRGB, Full: true, Assumed: true},
		},
	} {
		path := makeMovie(t, name, c.args...)
		f, w, h, err := Programs{}.Facts(t.Context(), path)
		if err != nil || w != width || h != height || f.Frames != frames {
			t.Errorf("%s: %+v, %d × %d, %v", name, f, w, h, err)
			continue
		}
		c.want.Codec, c.want.Frames, c.want.Rate, c.want.Start = f.Codec, f.Frames, f.Rate, f.Start
		c.want.PixelAspect = 1
		if f != c.want {
			t.Errorf("%s is %+v, want %+v", name, f, c.want)
		}
		for _, first := range []int{frames - 1, 0, 23, 1, 7, 36} {
			all, err := Programs{}.Frames(t.Context(), path, f, first, 3)
			if err != nil || len(all) != min(3, frames-first) {
				t.Errorf("%s: %d frames from %d, %v", name, len(all), first, err)
				continue
			}
			for i, codes := range all {
				left, right := colourOf(first + i)
				light, err := f.Light(codes)
				if err != nil {
					t.Fatal(err)
				}
				for at, want := range map[int][3]byte{
					height/2*width + 8: left, height/2*width + width - 8: right,
				} {
					for k := range 3 {
						got := 255 * f.Curve.Encode(float64(light.Planes[k].Data[at]))
						if math.Abs(got-float64(want[k])) > c.off {
							t.Errorf("%s, frame %d, channel %d is %.1f, want %d", name, first+i, k, got, want[k])
						}
					}
				}
			}
		}
	}
}

// What is no movie is refused, and does no harm: a list of other files is not followed.
func TestOtherFilesAreRefused(t *testing.T) {
	good := makeMovie(t, "good.mp4", "-c:v", "libx264", "-pix_fmt", "yuv420p")
	whole, err := os.ReadFile(good)
	if err != nil {
		t.Fatal(err)
	}
	for name, c := range map[string]struct{ text, want string }{
		"text.mp4":  {"this is text", "ffprobe cannot read it"},
		"empty.mp4": {"", "ffprobe cannot read it"},
		"cut.mp4":   {string(whole[:len(whole)/2]), "cannot read it"},
		"list.mp4":  {"ffconcat version 1.0\nfile '" + good + "'\n", "cannot read it"},
		"hls.mp4":   {"#EXTM3U\n#EXT-X-TARGETDURATION:1\n#EXTINF:1,\n" + good + "\n#EXT-X-ENDLIST\n", "cannot read it"},
	} {
		path := filepath.Join(t.TempDir(), name)
		if err := os.WriteFile(path, []byte(c.text), 0o644); err != nil {
			t.Fatal(err)
		}
		_, _, _, err := Programs{}.Facts(t.Context(), path)
		if err == nil || !strings.Contains(err.Error(), c.want) || strings.Contains(err.Error(), filepath.Dir(path)) {
			t.Errorf("%s: %v", name, err)
		}
	}
	if _, _, _, err := (Programs{FFmpeg: "/nowhere/ffmpeg"}).Facts(t.Context(), good); !errors.Is(err, ErrMissing) {
		t.Errorf("without ffmpeg: %v", err)
	}
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	if _, _, _, err := (Programs{}).Facts(ctx, good); !errors.Is(err, context.Canceled) {
		t.Errorf("nobody waits: %v", err)
	}
}
