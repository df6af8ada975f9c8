package assets

import (
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"reelhouse/core/cut"
)

// MostSoundBytes is the size above which a sound file is refused.
const MostSoundBytes = 1 << 30

// waveParts is how many parts a waveform is drawn in.
const waveParts = 2000

// SoundPath returns where a sound is kept, "" for none.
func (l *Library) SoundPath(s cut.Sound) string {
	if s.SHA256 == "" {
		return ""
	}
	return l.path("sounds", filepath.Base(s.SHA256)+".wav")
}

// ImportSound reads a WAVE file, and keeps it if it is a good one.
func (l *Library) ImportSound(name string, r io.Reader) (cut.Sound, error) {
	s := cut.Sound{Name: filepath.Base(name)}
	if !strings.EqualFold(filepath.Ext(s.Name), ".wav") {
		return s, fmt.Errorf("%s is no .wav file; save the sound as WAVE, PCM of 16 or 24 bits", s.Name)
	}
	a, err := l.arrive("sounds", name, r, MostSoundBytes)
	if err != nil {
		return s, err
	}
	defer a.end()
	if _, err := a.Seek(0, io.SeekStart); err != nil {
		return s, a.wrong(err)
	}
	w, err := cut.ReadWAV(a, 1)
	if err != nil {
		return s, a.wrong(err)
	}
	s.SHA256, s.Seconds = a.sha256, w.Seconds
	return s, keepFile(a.File, l.SoundPath(s))
}

// Waveform returns what a sound looks like. It is read once, and kept.
func (l *Library) Waveform(s cut.Sound) (cut.Waveform, error) {
	return l.waves.get(s.SHA256, func() (cut.Waveform, error) {
		file, err := os.Open(l.SoundPath(s))
		if err != nil {
			return cut.Waveform{}, err
		}
		defer file.Close()
		return cut.ReadWAV(file, waveParts)
	})
}
