package movie

import (
	"fmt"
	"slices"
)

// A Subject says what a movie shows.
type Subject string

// The subjects.
const (
	Each   Subject = "each"   // a movie of each sequence
	Joined Subject = "joined" // all sequences one after another, a movie of each size
	OfCut  Subject = "cut"    // the cut, with its tracks, speeds and sound
	Turn   Subject = "turn"   // a turnaround of each shot with several views
)

// Subjects returns all subjects, in the order in which they are offered.
func Subjects() []Subject { return []Subject{Each, Joined, OfCut, Turn} }

// A Codec is how movies are stored.
type Codec string

// The codecs.
const (
	H264      Codec = "h264"
	H265      Codec = "h265"
	ProRes422 Codec = "prores422"
	ProRes444 Codec = "prores4444"
	DNxHR     Codec = "dnxhr"
	FFV1      Codec = "ffv1"
	VP9       Codec = "vp9"
	AV1       Codec = "av1"
	GIF       Codec = "gif"
)

// A CodecKind is what a codec can.
type CodecKind struct {
	Name     string   // for people
	Ending   string   // of files
	Encoders []string // of ffmpeg that write it, the first that is there is taken
	Alpha    bool     // it can hold coverage
	Lossless bool
	Even     bool // sizes are even
	Least    int  // pixels of an edge
	Most     int  // pixels of an edge
	Sound    bool
	Timecode bool
	muxer    string
	formats  [2]string // of pixels, without alpha and with it
	how      []string
	sound    []string
}

// How sound is stored.
var (
	aac  = []string{"-c:a", "aac", "-b:a", "256k"}
	pcm  = []string{"-c:a", "pcm_s24le"}
	opus = []string{"-c:a", "libopus", "-b:a", "192k"}
	flac = []string{"-c:a", "flac"}
)

var codecs = map[Codec]CodecKind{
	H264: {
		Name: "H.264, MP4", Ending: "mp4", Encoders: []string{"libx264"}, Even: true, Most: 8192, Sound: true,
		Timecode: true, muxer: "mp4", formats: [2]string{"yuv420p", ""},
		how: []string{"-preset", "medium", "-crf", "16", "-movflags", "+faststart"}, sound: aac,
	},
	H265: {
		Name: "H.265, MP4", Ending: "mp4", Encoders: []string{"libx265"}, Even: true, Least: 16, Most: 8192,
		Sound:    true,
		Timecode: true, muxer: "mp4", formats: [2]string{"yuv420p10le", ""},
		how: []string{
			"-preset", "medium", "-crf", "18", "-tag:v", "hvc1", "-x265-params", "log-level=error", "-movflags",
			"+faststart",
		}, sound: aac,
	},
	ProRes422: {
		Name: "ProRes 422 HQ, MOV", Ending: "mov", Encoders: []string{"prores_ks"}, Even: true, Most: 16384,
		Sound:    true,
		Timecode: true, muxer: "mov", formats: [2]string{"yuv422p10le", ""},
		how: []string{"-profile:v", "3", "-vendor", "apl0", "-movflags", "+write_colr"}, sound: pcm,
	},
	ProRes444: {
		Name: "ProRes 4444, MOV", Ending: "mov", Encoders: []string{"prores_ks"}, Alpha: true, Even: true, Most: 16384,
		Sound: true, Timecode: true, muxer: "mov", formats: [2]string{"yuv444p10le", "yuva444p10le"},
		how: []string{
			"-profile:v",
			"4",
			"-alpha_bits",
			"16",
			"-vendor",
			"apl0",
			"-movflags",
			"+write_colr",
		}, sound: pcm,
	},
	DNxHR: {
		Name: "DNxHR HQX, MOV", Ending: "mov", Encoders: []string{"dnxhd"}, Even: true, Least: 256, Most: 8192,
		Sound: true, Timecode: true, muxer: "mov", formats: [2]string{"yuv422p10le", ""},
		how: []string{"-profile:v", "dnxhr_hqx", "-movflags", "+write_colr"}, sound: pcm,
	},
	FFV1: {
		Name: "FFV1, lossless, Matroska", Ending: "mkv", Encoders: []string{"ffv1"}, Alpha: true, Lossless: true,
		Most: 16384, Sound: true, muxer: "matroska", formats: [2]string{"gbrp16le", "gbrap16le"},
		how: []string{"-level", "3", "-slicecrc", "1", "-g", "1"}, sound: flac,
	},
	VP9: {
		Name: "VP9, WebM", Ending: "webm", Encoders: []string{"libvpx-vp9"}, Alpha: true, Even: true, Most: 8192,
		Sound: true, muxer: "webm", formats: [2]string{"yuv420p", "yuva420p"},
		how: []string{"-crf", "18", "-b:v", "0", "-row-mt", "1", "-cpu-used", "3", "-auto-alt-ref", "0"}, sound: opus,
	},
	AV1: {
		Name: "AV1, MP4", Ending: "mp4", Encoders: []string{"libsvtav1", "libaom-av1"}, Even: true, Least: 64,
		Most:  8192,
		Sound: true, muxer: "mp4", formats: [2]string{"yuv420p10le", ""},
		how: []string{"-crf", "20", "-movflags", "+faststart"}, sound: aac,
	},
	GIF: {
		Name: "GIF, small and few colours", Ending: "gif", Encoders: []string{"gif"}, Most: 1024, muxer: "gif",
		formats: [2]string{"", ""},
	},
}

// Kind returns what the codec can; the zero value for none that is known.
func (c Codec) Kind() CodecKind { return codecs[c] }

// Codecs returns all codecs, in the order in which they are offered.
func Codecs() []Codec {
	return []Codec{H264, H265, ProRes422, ProRes444, DNxHR, FFV1, VP9, AV1, GIF}
}

// Settings say which movies are made. The zero value makes none.
type Settings struct {
	On    bool    `json:"on,omitempty"`
	Of    Subject `json:"of,omitempty"`
	Codec Codec   `json:"codec,omitempty"`
	// Size is the code of the size of a movie of the cut; "" for that which most of its pictures have.
	Size string `json:"size,omitempty"`
	// Height is that of the movie in pixels, 0 for that of its pictures.
	Height int `json:"height,omitempty"`
	// Alpha keeps coverage, as straight alpha, or with colours that were multiplied by it; otherwise pictures stand
	// over black.
	Alpha         bool `json:"alpha,omitempty"`
	Premultiplied bool `json:"premultiplied,omitempty"`
	// Sound is that of the cut.
	Sound bool `json:"sound,omitempty"`
	// Hold shows the frame before in the place of one that is missing, and says so in it.
	Hold bool `json:"hold,omitempty"`
	// Stamp burns shot, version, frame and timecode in, and Slate begins with a second that says what it is.
	Stamp bool `json:"stamp,omitempty"`
	Slate bool `json:"slate,omitempty"`
}

// Usual returns the settings that a movie begins with.
func Usual() Settings { return Settings{On: true, Of: Each, Codec: H264, Sound: true} }

// MostHeight is how many pixels high a movie may be.
const MostHeight = 8192

// Check says what is wrong with the settings, or nil.
func (s Settings) Check() error {
	switch {
	case !s.On:
		return nil
	case !slices.Contains(Subjects(), s.Of):
		return fmt.Errorf("a movie cannot show %q", s.Of)
	case s.Codec.Kind().Name == "":
		return fmt.Errorf("there is no codec %q", s.Codec)
	case s.Height < 0 || s.Height > MostHeight:
		return fmt.Errorf("a movie is 1 to %d pixels high, or 0 for as high as its pictures", MostHeight)
	case s.Alpha && !s.Codec.Kind().Alpha:
		return fmt.Errorf("%s holds no alpha; choose ProRes 4444, FFV1 or VP9 for it", s.Codec.Kind().Name)
	}
	return nil
}
