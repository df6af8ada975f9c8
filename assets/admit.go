package assets

import (
	"os"

	"reelhouse/core/scene"
	"reelhouse/core/trace"
)

// An Admission is what kind of file comes in.
type Admission string

// The kinds of files whose first reading may take much memory, or break what reads them.
const (
	AdmitScene       Admission = "scene"
	AdmitEnvironment Admission = "environment"
	AdmitReference   Admission = "reference"
	AdmitLUT         Admission = "lut"
	AdmitUSD         Admission = "usd" // text, of which cameras are read
)

// Memory returns how many bytes the first reading may take, which is more than what its budget lets through needs.
func (a Admission) Memory() int64 {
	switch a {
	case AdmitEnvironment:
		return trace.MostEnvironmentMemory
	case AdmitReference:
		return mostReferenceMemory
	case AdmitLUT:
		return mostLUTMemory
	}
	return scene.MostMemory
}

// Read reads a file as the house does.
func (a Admission) Read(path string) error {
	f, err := os.Open(path)
	if err != nil {
		return err
	}
	defer f.Close()
	switch a {
	case AdmitScene:
		_, err = scene.Read(f)
	case AdmitUSD:
		_, err = scene.ReadUSD(f)
	case AdmitReference:
		_, err = lightOf(f)
	case AdmitLUT:
		_, err = readLUT(f)
	default:
		_, err = readEnvironment(f)
	}
	return err
}

// admit has a file read by somebody else first, if there is anybody.
func (l *Library) admit(kind Admission, path string) error {
	if l.Admit == nil {
		return nil
	}
	return l.Admit(kind, path)
}
