module velvetgrime

go 1.26.0

require (
	github.com/qmuntal/gltf v0.28.0
	github.com/zeebo/xxh3 v1.1.0
)

require (
	github.com/klauspost/cpuid/v2 v2.3.0 // indirect
	golang.org/x/sync v0.24.0 // indirect
	golang.org/x/sys v0.41.0 // indirect
)
