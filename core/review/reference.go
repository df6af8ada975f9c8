package review

// A Reference is a picture of others that frames are held against: a photograph, a frame of a former film, a painting.
type Reference struct {
	Name   string `json:"name"` // as its file was called
	SHA256 string `json:"sha256"`
	Bytes  int64  `json:"bytes"`
	Width  int    `json:"width"`
	Height int    `json:"height"`
}
