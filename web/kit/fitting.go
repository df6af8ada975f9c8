package kit

import "reelhouse/core/raster"

var fittingNames = map[raster.Fitting]string{
	raster.Crop: "fill (crop)", raster.Pad: "letterbox or pillarbox",
	raster.KeepHeight: "widen the view, height stays", raster.KeepWidth: "widen the view, width stays",
}

// FittingName returns what a fitting is called.
func FittingName(f raster.Fitting) string { return fittingNames[f] }
