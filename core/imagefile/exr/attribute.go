package exr

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"image"
	"math"
	"slices"

	"reelhouse/core/imagefile"
)

// standard holds the attributes that the OpenEXR project's "Standard Attributes" names, with their types.
var standard = map[string]string{
	// about the picture
	"adoptedNeutral": "v2f", "chromaticities": "chromaticities", "whiteLuminance": "float",
	"renderingTransform": "string", "lookModTransform": "string",
	"xDensity": "float", "owner": "string", "comments": "string", "capDate": "string", "utcOffset": "float",
	"longitude": "float", "latitude": "float",
	"altitude": "float", "originalDataWindow": "box2i", "wrapmodes": "string", "multiView": "stringvector",
	"view":           "string",
	"deepImageState": "deepImageState", "envmap": "envmap", "preview": "preview", "dwaCompressionLevel": "float",
	// about time
	"framesPerSecond": "rational", "timeCode": "timecode", "keyCode": "keycode", "imageCounter": "int",
	"reelName": "string", "captureRate": "rational",
	// about the camera
	"expTime": "float", "aperture": "float", "isoSpeed": "float", "focus": "float", "cameraMake": "string",
	"cameraModel": "string", "cameraSerialNumber": "string",
	"cameraFirmwareVersion": "string", "cameraUuid": "string", "cameraLabel": "string", "cameraCCTSetting": "float",
	"cameraTintSetting":  "float",
	"cameraColorBalance": "v2f", "shutterAngle": "float", "tStop": "float", "nominalFocalLength": "float",
	"effectiveFocalLength": "float",
	"pinholeFocalLength":   "float", "entrancePupilOffset": "float", "lensMake": "string", "lensModel": "string",
	"lensSerialNumber":    "string",
	"lensFirmwareVersion": "string", "sensorCenterOffset": "v2f", "sensorOverallDimensions": "v2f",
	"sensorPhotositePitch":       "float",
	"sensorAcquisitionRectangle": "box2i", "ascFramingDecisionList": "string", "worldToCamera": "m44f",
	"worldToNDC": "m44f",
}

// built holds the attributes that are made from a part's other fields; nobody may set them.
var built = []string{
	"channels", "compression", "dataWindow", "displayWindow", "lineOrder", "pixelAspectRatio", "screenWindowCenter",
	"screenWindowWidth", "tiles", "chunkCount", "type", "name", "version",
}

var le = binary.LittleEndian

// decodeAttribute makes a value of its bytes ("Attribute Data"). What is of a type that is not known stays as it is.
func decodeAttribute(kind string, data []byte) (any, error) {
	switch kind {
	case "string":
		return string(data), nil
	case "stringvector":
		texts := []string{}
		for len(data) > 0 {
			if len(data) < 4 || uint64(le.Uint32(data)) > uint64(len(data)-4) {
				return nil, fmt.Errorf("a string is cut short")
			}
			n := int(le.Uint32(data))
			texts, data = append(texts, string(data[4:4+n])), data[4+n:]
		}
		return texts, nil
	case "floatvector":
		if len(data)%4 != 0 {
			return nil, fmt.Errorf("%d bytes are no whole number of floats", len(data))
		}
		values := make([]float32, len(data)/4)
		for i := range values {
			values[i] = math.Float32frombits(le.Uint32(data[4*i:]))
		}
		return values, nil
	case "preview":
		if len(data) < 8 || uint64(le.Uint32(data))*uint64(le.Uint32(data[4:]))*4 != uint64(len(data)-8) {
			return nil, fmt.Errorf("%d bytes are not those of the preview's size", len(data))
		}
		return imagefile.Preview{
			Width:  int(le.Uint32(data)),
			Height: int(le.Uint32(data[4:])),
			RGBA:   bytes.Clone(data[8:]),
		}, nil
	case "box2i":
		return box(data)
	case "int":
		return fixed[int32](data)
	case "float":
		return fixed[float32](data)
	case "double":
		return fixed[float64](data)
	case "rational":
		return fixed[imagefile.Rational](data)
	case "timecode":
		return fixed[imagefile.TimeCode](data)
	case "keycode":
		return fixed[imagefile.KeyCode](data)
	case "chromaticities":
		return fixed[imagefile.Chromaticities](data)
	case "box2f":
		return fixed[imagefile.Box2f](data)
	case "v2i":
		return fixed[imagefile.V2i](data)
	case "v2f":
		return fixed[imagefile.V2f](data)
	case "v2d":
		return fixed[imagefile.V2d](data)
	case "v3i":
		return fixed[imagefile.V3i](data)
	case "v3f":
		return fixed[imagefile.V3f](data)
	case "v3d":
		return fixed[imagefile.V3d](data)
	case "m33f":
		return fixed[imagefile.M33f](data)
	case "m33d":
		return fixed[imagefile.M33d](data)
	case "m44f":
		return fixed[imagefile.M44f](data)
	case "m44d":
		return fixed[imagefile.M44d](data)
	}
	return imagefile.Opaque{Type: kind, Data: bytes.Clone(data)}, nil
}

// fixed reads a value that always has the same size.
func fixed[T any](data []byte) (any, error) {
	var v T
	if want := binary.Size(v); len(data) != want {
		return nil, fmt.Errorf("%d bytes instead of %d", len(data), want)
	}
	_, err := binary.Decode(data, le, &v)
	return v, err
}

// box reads a box2i: its corners, of which the second is still inside.
func box(data []byte) (image.Rectangle, error) {
	if len(data) != 16 {
		return image.Rectangle{}, fmt.Errorf("%d bytes instead of 16", len(data))
	}
	var v [4]int
	for i := range v {
		v[i] = int(int32(le.Uint32(data[4*i:])))
	}
	return image.Rectangle{Min: image.Pt(v[0], v[1]), Max: image.Pt(v[2]+1, v[3]+1)}, nil
}

func appendBox(dst []byte, r image.Rectangle) []byte {
	for _, v := range []int{r.Min.X, r.Min.Y, r.Max.X - 1, r.Max.Y - 1} {
		dst = le.AppendUint32(dst, uint32(v))
	}
	return dst
}

// encodeAttribute returns a value's type and its bytes.
func encodeAttribute(value any) (kind string, data []byte, err error) {
	switch v := value.(type) {
	case imagefile.Opaque:
		return v.Type, v.Data, nil
	case string:
		return "string", []byte(v), nil
	case []string:
		for _, s := range v {
			data = append(le.AppendUint32(data, uint32(len(s))), s...)
		}
		return "stringvector", data, nil
	case []float32:
		for _, f := range v {
			data = le.AppendUint32(data, math.Float32bits(f))
		}
		return "floatvector", data, nil
	case imagefile.Preview:
		if v.Width < 0 || v.Height < 0 || len(v.RGBA) != 4*v.Width*v.Height {
			return "", nil, fmt.Errorf("a preview of %d × %d pixels has %d bytes", v.Width, v.Height, len(v.RGBA))
		}
		return "preview", append(le.AppendUint32(le.AppendUint32(nil, uint32(v.Width)), uint32(v.Height)), v.RGBA...),
			nil
	case image.Rectangle:
		return "box2i", appendBox(nil, v), nil
	case int32:
		kind = "int"
	case float32:
		kind = "float"
	case float64:
		kind = "double"
	case imagefile.Rational:
		kind = "rational"
	case imagefile.TimeCode:
		kind = "timecode"
	case imagefile.KeyCode:
		kind = "keycode"
	case imagefile.Chromaticities:
		kind = "chromaticities"
	case imagefile.Box2f:
		kind = "box2f"
	case imagefile.V2i:
		kind = "v2i"
	case imagefile.V2f:
		kind = "v2f"
	case imagefile.V2d:
		kind = "v2d"
	case imagefile.V3i:
		kind = "v3i"
	case imagefile.V3f:
		kind = "v3f"
	case imagefile.V3d:
		kind = "v3d"
	case imagefile.M33f:
		kind = "m33f"
	case imagefile.M33d:
		kind = "m33d"
	case imagefile.M44f:
		kind = "m44f"
	case imagefile.M44d:
		kind = "m44d"
	default:
		return "", nil, fmt.Errorf("a %T cannot be written", value)
	}
	data, err = binary.Append(nil, le, value)
	return kind, data, err
}

// rawAttribute is an attribute as it stands in a file.
type rawAttribute struct {
	name, kind string
	data       []byte
}

func validName(name string) bool {
	return name != "" && len(name) <= longName && !slices.Contains([]byte(name), 0)
}

// rawAttributes turns attributes into their bytes. A standard attribute must have the standard's type.
func rawAttributes(attributes imagefile.Attributes) ([]rawAttribute, error) {
	var raw []rawAttribute
	seen := map[string]bool{}
	for _, a := range attributes {
		kind, data, err := encodeAttribute(a.Value)
		want, named := standard[a.Name]
		switch {
		case err != nil:
			return nil, fmt.Errorf("attribute %s: %w", a.Name, err)
		case !validName(a.Name) || !validName(kind):
			return nil, fmt.Errorf("attribute %q of type %q has a name that cannot be written", a.Name, kind)
		case seen[a.Name] || slices.Contains(built, a.Name):
			return nil, fmt.Errorf("attribute %s stands there already", a.Name)
		case named && kind != want:
			return nil, fmt.Errorf("attribute %s is a %s by the standard, not a %s", a.Name, want, kind)
		}
		seen[a.Name] = true
		raw = append(raw, rawAttribute{a.Name, kind, data})
	}
	return raw, nil
}
