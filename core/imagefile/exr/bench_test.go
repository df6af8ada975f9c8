package exr

import (
	"bytes"
	"os"
	"testing"
)

// frame is the picture of REELHOUSE_FRAME, an OpenEXR file, or one made here.
func frame(b *testing.B) Picture {
	if path := os.Getenv("REELHOUSE_FRAME"); path != "" {
		data, err := os.ReadFile(path)
		if err != nil {
			b.Fatal(err)
		}
		parts, err := ReadAll(data, 1<<32)
		if err != nil {
			b.Fatal(err)
		}
		return Picture{Part: Part{Header: parts[0].Header}, Planes: parts[0].Planes}
	}
	return scenery(2048, 1080)
}

func benchmark(b *testing.B, work func(p Picture, file []byte)) {
	for _, c := range Compressions() {
		b.Run(c.String(), func(b *testing.B) {
			p := frame(b)
			p.Compression = c
			file := encode(b, p)
			b.SetBytes(p.Bytes())
			b.ReportAllocs()
			for b.Loop() {
				work(p, file)
			}
			b.ReportMetric(float64(len(file))/float64(p.Bytes()), "of-the-size")
		})
	}
}

func BenchmarkWrite(b *testing.B) {
	var file bytes.Buffer
	benchmark(b, func(p Picture, _ []byte) {
		file.Reset()
		if err := Encode(&file, p); err != nil {
			b.Fatal(err)
		}
	})
}

func BenchmarkRead(b *testing.B) {
	benchmark(b, func(p Picture, file []byte) {
		r, err := NewReader(bytes.NewReader(file), int64(len(file)), 1<<32)
		if err != nil {
			b.Fatal(err)
		}
		if err := r.ReadLines(0, 0, p.Height(), p.Planes); err != nil {
			b.Fatal(err)
		}
	})
}
