package cut

import (
	"encoding/json"
	"slices"
	"strings"
)

// rest returns what a node says beside the fields that are read, as it came; nil if that is nothing.
func (o *otioReader) rest(n node, read ...string) Kept {
	fields := map[string]json.RawMessage{}
	for key := range n.object {
		switch {
		case slices.Contains(read, key) || !n.there(key):
		case key == "OTIO_SCHEMA":
			if newer(n) {
				fields[key] = n.object[key].compact()
			}
		case key == "enabled": // which is read wherever it counts
		case key == "metadata" && n.object[key].object != nil:
			theirs := map[string]json.RawMessage{}
			for name, value := range n.object[key].object {
				if name != "reelhouse" {
					theirs[name] = value.compact()
				}
			}
			if len(theirs) > 0 {
				fields[key] = mustJSON(theirs)
			}
		default:
			fields[key] = n.object[key].compact()
		}
	}
	if len(fields) == 0 {
		return nil
	}
	return mustJSON(fields)
}

// mustJSON writes a value that came out of JSON.
func mustJSON(v any) json.RawMessage {
	data, err := json.Marshal(v)
	if err != nil {
		panic(err)
	}
	return data
}

// withEffects keeps a thing's effects that are none of time; those of time are given to its clips.
func (o *otioReader) withEffects(kept Kept, n node) Kept {
	var others []json.RawMessage
	for _, effect := range n.object["effects"].list {
		if _, timed, _ := o.warpOf(effect); !timed {
			others = append(others, effect.compact())
		}
	}
	if len(others) == 0 {
		return kept
	}
	return overlay(kept, map[string]json.RawMessage{"effects": mustJSON(others)})
}

// overlay returns the fields of an object with others over them.
func overlay(kept Kept, fields map[string]json.RawMessage) Kept {
	all := map[string]json.RawMessage{}
	if len(kept) > 0 && json.Unmarshal(kept, &all) != nil {
		return kept
	}
	for key, value := range fields {
		all[key] = value
	}
	return mustJSON(all)
}

// unsaid returns that a file does not say a field, which then is not said again as long as nothing is changed of it.
func unsaid(field string) map[string]json.RawMessage {
	return map[string]json.RawMessage{field: json.RawMessage("null")}
}

// keptOf returns what of a clip is kept as it came. Its media and its effects are, unless they say nothing that the cut
// does not have.
func (o *otioReader) keptOf(n node, v Speed) Kept {
	kept := o.rest(n, "name", "source_range", "media_reference", "media_references", "active_media_reference_key",
		"effects")
	fields := map[string]json.RawMessage{}
	if !plainMedia(n) {
		if media, one := n.object["media_reference"]; one {
			fields["media_references"] = mustJSON(map[string]json.RawMessage{"DEFAULT_MEDIA": media.compact()})
			fields["active_media_reference_key"] = mustJSON("DEFAULT_MEDIA")
		} else {
			fields["media_references"] = n.object["media_references"].compact()
			fields["active_media_reference_key"] = mustJSON(n.text("active_media_reference_key"))
		}
	}
	if effects := n.object["effects"]; len(effects.list) > 0 && !plainEffects(effects.list, v) {
		fields["effects"] = effects.compact()
	}
	if len(fields) == 0 {
		return kept
	}
	return overlay(kept, fields)
}

// plainMedia reports whether a clip's media are no more than a file's name, or missing.
func plainMedia(n node) bool {
	all := n.object["media_references"].object
	if len(all) > 1 {
		return false
	}
	media := mediaOf(n)
	for key := range media.object {
		if key != "OTIO_SCHEMA" && key != "target_url" && media.there(key) {
			return false
		}
	}
	kind := media.text("OTIO_SCHEMA")
	return len(all) == 0 && len(media.object) == 0 ||
		(kind == "MissingReference.1" || kind == "ExternalReference.1") &&
			(len(all) == 0 || n.text("active_media_reference_key") == "DEFAULT_MEDIA")
}

// plainEffects reports whether effects are no more than what is written of a speed.
func plainEffects(effects []node, v Speed) bool {
	if len(effects) != 1 || v.Usual() {
		return false
	}
	for key := range effects[0].object {
		switch key {
		case "OTIO_SCHEMA", "time_scalar":
		case "name", "effect_name":
			if text := effects[0].text(key); text != "" &&
				!strings.HasPrefix(effects[0].text("OTIO_SCHEMA"), text+".") {
				return false
			}
		case "enabled":
			if off(effects[0]) {
				return false
			}
		default:
			if effects[0].there(key) {
				return false
			}
		}
	}
	return true
}

// forget drops all that is kept as it came.
func (c *Cut) forget() {
	c.Kept, c.Stack, c.Others = nil, nil, nil
	for k := range c.Tracks {
		t := &c.Tracks[k]
		t.Kept, t.After = nil, nil
		for i := range t.Clips {
			t.Clips[i].Kept, t.Clips[i].Before = nil, nil
		}
	}
}
