package movie

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"strconv"

	"reelhouse/core/pixel"
)

// containers are the kinds of files that are read, as ffmpeg calls them. Others may name further files, which whoever
// brings a movie is not to read.
const containers = "mov,matroska,avi,mxf,mpegts,mpeg,ogg,gif,yuv4mpegpipe"

// guarded are the arguments by which a file may do no harm.
func guarded() []string {
	return []string{
		"-v", "error", "-max_alloc", strconv.Itoa(1 << 30), "-max_pixels", strconv.Itoa(MostPixels),
		"-protocol_whitelist", "file", "-format_whitelist", containers,
	}
}

// ProbeArguments are those of ffprobe for what ReadFacts reads.
func ProbeArguments(path string) []string {
	return append(guarded(), "-of", "json", "-select_streams", "v:0", "-show_entries",
		"stream=codec_name,width,height,pix_fmt,bits_per_raw_sample,color_range,color_space,color_transfer,"+
			"color_primaries,avg_frame_rate,r_frame_rate,sample_aspect_ratio:format=start_time:packet=pts_time,flags",
		"file:"+path)
}

// DecodeArguments are those of ffmpeg for what ReadCodes reads: so many frames from one on, counted from 0.
func (f Facts) DecodeArguments(path string, first, frames int) []string {
	args := append([]string{"-nostdin", "-threads", "2"}, guarded()...)
	if first > 0 { // half a frame before it, so that no rounding leaves it out
		at := f.Start + (float64(first)-0.5)/f.Rate.PerSecond()
		args = append(args, "-ss", strconv.FormatFloat(at, 'f', 6, 64))
	}
	scale := "scale=flags=bicubic+accurate_rnd+full_chroma_int+full_chroma_inp"
	if f.Matrix != "" {
		in := "tv"
		if f.Full {
			in = "pc"
		}
		scale += ":in_color_matrix=" + f.Matrix + ":in_range=" + in + ":out_range=pc"
	}
	codes := "rgb24"
	if f.Deep {
		codes = "rgb48be"
	}
	return append(args, "-i", "file:"+path, "-map", "0:v:0", "-an", "-sn", "-dn", "-frames:v", strconv.Itoa(frames),
		"-fps_mode", "passthrough", "-vf", scale+",format="+codes, "-f", "image2pipe", "-c:v", "ppm", "pipe:1")
}

// Codes are a frame of a movie as a display is given them: red, green and blue of each pixel, from the top left, in
// bytes, or in two of them, the greater one first.
type Codes struct {
	Width, Height int
	Most          int // of a code: 255 or 65535
	Bytes         []byte
}

// Size returns how many bytes they take.
func (c Codes) Size() int64 { return int64(len(c.Bytes)) }

// ReadCodes reads a frame of what ffmpeg writes: a portable pixmap, "P6". At the end it returns io.EOF.
func ReadCodes(r *bufio.Reader) (c Codes, err error) {
	if _, err := r.Peek(1); err == io.EOF {
		return c, io.EOF
	}
	if _, err := fmt.Fscanf(r, "P6\n%d %d\n%d\n", &c.Width, &c.Height, &c.Most); err != nil {
		return c, fmt.Errorf("what ffmpeg writes is no pixmap: %w", err)
	}
	each := 1
	switch {
	case c.Width < 1 || c.Height < 1 || c.Width > MostPixels || c.Height > MostPixels ||
		c.Width*c.Height > MostPixels:
		return c, fmt.Errorf("a frame has %d × %d pixels", c.Width, c.Height)
	case c.Most == 65535:
		each = 2
	case c.Most != 255:
		return c, fmt.Errorf("a pixmap has codes up to %d", c.Most)
	}
	c.Bytes = make([]byte, 3*each*c.Width*c.Height)
	if _, err := io.ReadFull(r, c.Bytes); err != nil {
		return c, errors.New("it ends in the middle of a frame")
	}
	return c, nil
}

// Light returns a frame as linear light with the primaries of BT.709.
func (f Facts) Light(c Codes) (*pixel.Image, error) {
	of := make([]float32, c.Most+1)
	for code := range of {
		of[code] = float32(f.Curve.Decode(float64(code) / float64(c.Most)))
	}
	img := pixel.New(c.Width, c.Height, "R", "G", "B")
	for i := range c.Width * c.Height {
		for k := range 3 {
			code := 0
			if c.Most > 255 {
				code = int(c.Bytes[6*i+2*k])<<8 | int(c.Bytes[6*i+2*k+1])
			} else {
				code = int(c.Bytes[3*i+k])
			}
			img.Planes[k].Data[i] = of[code]
		}
	}
	if f.Primaries == "" {
		return img, nil
	}
	gamut, err := gamutOf(f.Primaries)
	if err != nil {
		return nil, err
	}
	to, err := pixel.Conversion(gamut, pixel.BT709.Gamut())
	if err != nil {
		return nil, err
	}
	r, g, b := img.Planes[0].Data, img.Planes[1].Data, img.Planes[2].Data
	for i := range r {
		x, y, z := to.Of(float64(r[i]), float64(g[i]), float64(b[i]))
		r[i], g[i], b[i] = float32(x), float32(y), float32(z)
	}
	return img, nil
}
