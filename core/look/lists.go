package look

import (
	"fmt"
	"strconv"
	"strings"
)

// WriteLights writes changes of lights as ReadLights reads them: "lamp_quay = 2 #ffcc88, lamp_mast = 0.5".
func WriteLights(lights []LightChange) string {
	var parts []string
	for _, l := range lights {
		text := l.Name + " = " + strconv.FormatFloat(l.Factor(), 'g', -1, 64)
		if l.Colour != "" {
			text += " " + l.Colour
		}
		parts = append(parts, text)
	}
	return strings.Join(parts, ", ")
}

// ReadLights reads changes of lights: names, each with how many times as bright it is, a colour, or both.
func ReadLights(text string) ([]LightChange, error) {
	var all []LightChange
	for _, part := range strings.Split(text, ",") {
		if strings.TrimSpace(part) == "" {
			continue
		}
		name, rest, ok := strings.Cut(part, "=")
		l := LightChange{Name: strings.TrimSpace(name)}
		for _, word := range strings.Fields(rest) {
			if strings.HasPrefix(word, "#") {
				l.Colour = word
				if _, err := colour(word); err != nil {
					return nil, err
				}
				continue
			}
			times, err := strconv.ParseFloat(word, 64)
			if err != nil || !(times > 0 && times <= mostLight) {
				return nil, fmt.Errorf("%q is no intensity above 0; untick a light that is to be off", word)
			}
			l.Times = times
		}
		if !ok || l.Name == "" || l.Times == 0 && l.Colour == "" {
			return nil, fmt.Errorf("%q changes no light; write such as lamp_quay = 2 #ffcc88", strings.TrimSpace(part))
		}
		if l.Times == 1 {
			l.Times = 0
		}
		all = append(all, l)
	}
	return all, nil
}

// WriteTextures writes textures as ReadTextures reads them: "label = label_red".
func WriteTextures(textures []TextureSwap) string {
	var parts []string
	for _, t := range textures {
		parts = append(parts, t.Image+" = "+t.By)
	}
	return strings.Join(parts, ", ")
}

// ReadTextures reads which images stand in for which.
func ReadTextures(text string) ([]TextureSwap, error) {
	var all []TextureSwap
	for _, part := range strings.Split(text, ",") {
		if strings.TrimSpace(part) == "" {
			continue
		}
		image, by, ok := strings.Cut(part, "=")
		t := TextureSwap{strings.TrimSpace(image), strings.TrimSpace(by)}
		if !ok || t.Image == "" || t.By == "" {
			return nil, fmt.Errorf(
				"%q names no two images; write such as label = label_(value:title)", strings.TrimSpace(part),
			)
		}
		all = append(all, t)
	}
	return all, nil
}
