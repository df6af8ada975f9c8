package imagefile

import "image"

// Orient turns a part to stand upright, of which the first line and the first column lie as the tag Orientation of TIFF
// 6.0 and of Exif (CIPA DC-008) says: 1 for top and left, 2 for top and right, 3 for bottom and right, 4 for bottom and
// left, 5 for left and top, 6 for right and top, 7 for right and bottom, 8 for left and bottom. Other numbers change
// nothing.
func (p *Part) Orient(orientation int) {
	if orientation < 2 || orientation > 8 {
		return
	}
	wide, high := p.Width(), p.Height()
	width, height := wide, high
	if orientation >= 5 { // lines become columns
		width, height = high, wide
		if p.PixelAspect != 0 {
			p.PixelAspect = 1 / p.PixelAspect
		}
	}
	p.DataWindow, p.DisplayWindow = image.Rect(0, 0, width, height), image.Rect(0, 0, width, height)
	for i, plane := range p.Planes {
		size := p.Channels[i].Type.Size()
		turned := make([]byte, len(plane))
		for y := range height {
			for x := range width {
				fromX, fromY := x, y
				switch orientation {
				case 2:
					fromX = wide - 1 - x
				case 3:
					fromX, fromY = wide-1-x, high-1-y
				case 4:
					fromY = high - 1 - y
				case 5:
					fromX, fromY = y, x
				case 6:
					fromX, fromY = y, high-1-x
				case 7:
					fromX, fromY = wide-1-y, high-1-x
				case 8:
					fromX, fromY = wide-1-y, x
				}
				copy(turned[(y*width+x)*size:][:size], plane[(fromY*wide+fromX)*size:])
			}
		}
		p.Planes[i] = turned
	}
}
