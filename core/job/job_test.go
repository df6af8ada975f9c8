package job

import (
	"strings"
	"testing"
)

const whole = `{"version":1,"scene":"s.glb","rate":{"numerator":24,"denominator":1},"frames":[{"number":1,
	"files":[{"path":"a","encoding":{"format":"exr","depth":"by-pass","compression":"zip","level":4,"alpha":"none",
		"curve":"linear"},"passes":["beauty"]}]}]}`

func TestJobsThatCannotBeDoneAreRefused(t *testing.T) {
	if _, err := Read(strings.NewReader(whole)); err != nil {
		t.Fatal(err)
	}
	for name, c := range map[string][2]string{
		"version": {`"version":1`, `"version":2`}, "scene": {"s.glb", ""}, "rate": {"24", "0"},
		"path": {`"path":"a"`, `"path":""`}, "encoding": {`"curve":"linear"`, `"curve":"srgb"`},
		"frames": {`"frames":[`, `"frames":[],"facts":[`}, "unknown field": {`"scene"`, `"surprise":1,"scene"`},
		"not JSON": {"{", ""},
	} {
		if _, err := Read(strings.NewReader(strings.Replace(whole, c[0], c[1], 1))); err == nil {
			t.Errorf("%s: read", name)
		}
	}
}

func TestListenHearsMessagesAndKeepsOtherWords(t *testing.T) {
	var heard []Message
	err := Listen(
		strings.NewReader("{\"event\":\"progress\",\"progress\":0.5}\nplain words\n{\"other\":1}\n"),
		func(m Message) { heard = append(heard, m) },
	)
	if err != nil || len(heard) != 3 || heard[0].Progress != 0.5 || heard[1].Text != "plain words" ||
		heard[2].Event != Warning {
		t.Errorf("heard %+v, %v", heard, err)
	}
}
