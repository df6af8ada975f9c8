package raster

import (
	"fmt"
	"math"
	"slices"
	"strconv"
)

// Sources of the library's sizes.
const (
	cinema = "SMPTE ST 428-1"
	hd     = "ITU-R BT.709"
	uhd    = "ITU-R BT.2020"
	paper  = "ISO 216"
	usual  = "common practice"
)

// A Shelf is sizes of one kind.
type Shelf struct {
	Name  string
	Sizes []Named
}

// Library returns the sizes that are offered, each with the published standard that names it, or as common
// practice.
func Library() []Shelf {
	size := func(code, name string, width, height int, source string) Named {
		return Named{Code: code, Name: name, Size: Size{width, height}, Source: source}
	}
	shelves := []Shelf{
		{"Cinema", []Named{
			size(
				"flat", "2K flat 1.85", 1998, 1080, cinema,
			), size("scope", "2K scope 2.39", 2048, 858, cinema), size("full", "2K container", 2048, 1080, cinema),
			size(
				"flat4k", "4K flat 1.85", 3996, 2160, cinema,
			), size("scope4k", "4K scope 2.39", 4096, 1716, cinema), size("full4k", "4K container", 4096, 2160, cinema),
		}},
		{"Television", []Named{
			size(
				"hd", "HD 16:9", 1920, 1080, hd,
			), size("uhd", "UHD 16:9", 3840, 2160, uhd), size("uhd8k", "UHD-2 16:9", 7680, 4320, uhd),
		}},
		{"Ratios in HD", []Named{
			size(
				"r133", "4:3", 1440, 1080, usual,
			), size("r185", "1.85", 1920, 1038, usual), size("r235", "2.35", 1920, 817, usual),
			size("r239", "2.39", 1920, 803, usual),
		}},
		{"Square and upright", []Named{
			size(
				"square", "Square 1:1", 1080, 1080, usual,
			), size("portrait", "Upright 4:5", 1080, 1350, usual), size("tall", "Tall 9:16", 1080, 1920, usual),
		}},
		{"Panoramas (equirectangular 2:1)", []Named{
			size(
				"round2k", "Panorama 2K", 2048, 1024, usual,
			), size("round4k", "Panorama 4K", 4096, 2048, usual), size("round8k", "Panorama 8K", 8192, 4096, usual),
		}},
	}
	prints := Shelf{Name: "Paper"}
	for _, sheet := range []struct {
		name          string
		width, height float64 // millimetres
	}{{"A2", 420, 594}, {"A3", 297, 420}, {"A4", 210, 297}, {"A5", 148, 210}} {
		for _, ppi := range []float64{150, 300} {
			n := Named{
				Code: sheet.name + "-" + strconv.Itoa(
					int(ppi),
				), Name: fmt.Sprintf("%s upright, %.0f ppi", sheet.name, ppi),
				Size: Size{onPaper(sheet.width, ppi), onPaper(sheet.height, ppi)}, Source: paper,
			}
			n.PixelsPerInch = ppi
			prints.Sizes = append(prints.Sizes, n)
		}
	}
	return append(shelves, prints)
}

// onPaper returns the whole pixels nearest to a length.
func onPaper(millimetres, ppi float64) int {
	return int(math.Round(millimetres / MillimetresPerInch * ppi))
}

// Published returns the library's size of a code, and reports whether there is one.
func Published(code string) (Named, bool) {
	for _, shelf := range Library() {
		if i := slices.IndexFunc(shelf.Sizes, func(n Named) bool { return n.Code == code }); i >= 0 {
			return shelf.Sizes[i], true
		}
	}
	return Named{}, false
}
