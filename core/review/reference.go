package review

import "reelhouse/core/movie"

// A Reference is a picture or movie of others that frames are held against: a photograph, a former film, a painting.
type Reference struct {
	Name   string      `json:"name"` // as its file was called
	SHA256 string      `json:"sha256"`
	Bytes  int64       `json:"bytes"`
	Width  int         `json:"width"`
	Height int         `json:"height"`
	Movie  movie.Facts `json:"movie,omitzero"` // the zero value for a picture
}

// Moves reports whether it is a movie.
func (r Reference) Moves() bool { return r.Movie.Frames > 0 }
