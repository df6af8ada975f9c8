module reelhouse

go 1.26.0

require github.com/qmuntal/gltf v0.28.0

require github.com/klauspost/compress v1.20.3 // indirect
