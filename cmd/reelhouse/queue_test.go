package main

import (
	"encoding/json"
	"strings"
	"testing"

	"reelhouse/core/production"
	"reelhouse/core/queue"
	"reelhouse/house"
)

// caller returns what runs a command with a data folder, and wants it to end with an exit code.
func caller(t *testing.T, data string) func(exit int, args ...string) string {
	return func(exit int, args ...string) string {
		t.Helper()
		args = append(args[:1:1], append([]string{"--data", data}, args[1:]...)...)
		out, complaints, err := run(t, args...)
		if code(err) != exit {
			t.Fatalf("%v: exit %d, want %d\n%s%s", args, code(err), exit, out, complaints)
		}
		return out
	}
}

// The queue is looked at and changed from the command line, by the addresses that it prints.
func TestTheQueueFromTheCommandLine(t *testing.T) {
	data := seeded(t, func(p *production.Production) { p.Shots = p.Shots[:2] })
	call := caller(t, data)
	var sent sentBatch
	if err := json.Unmarshal([]byte(call(0, "send", "--json", "--needs", "tries=5")), &sent); err != nil ||
		sent.Batch != 1 {
		t.Fatalf("%+v, %v", sent, err)
	}
	lines := func(args ...string) []queuedLine {
		t.Helper()
		var all []queuedLine
		if err := json.Unmarshal([]byte(call(0, append([]string{"queue", "--json"}, args...)...)), &all); err != nil {
			t.Fatal(err)
		}
		return all
	}
	if all := lines(); len(all) != 1 || all[0].Address != "1" || all[0].Counts[queue.Ready] != sent.Frames {
		t.Fatalf("the queue is %+v", all)
	}
	sequences := lines("1")
	first := sequences[0].Address
	if len(sequences) != sent.Sequences || sequences[0].Needs != "tries=5" || !strings.HasPrefix(first, "1/010/") {
		t.Fatalf("the sequences are %+v", sequences)
	}
	frame := first + "/1001"
	for _, step := range []struct {
		exit int
		args []string
		says string
	}{
		{0, []string{"hold", frame}, frame + ": hold, 1 frame"},
		{0, []string{"hold", first}, "hold, "},
		{3, []string{"hold", first}, "hold, 0 frames"},
		{0, []string{"release", frame, first}, frame + ": release, 1 frame"},
		{0, []string{"drop", frame}, "drop, 1"},
		{0, []string{"retry", frame}, "retry, 1"},
		{0, []string{"priority", "1", "7"}, ""},
		{0, []string{"order", "1", "coarse", "--json"}, `"order": "coarse"`},
		{0, []string{"order", "1", "in-order"}, ""},
		{2, []string{"order", "1", "backwards"}, ""},
		{2, []string{"order", first, "ends"}, ""},
		{0, []string{"needs", first, "cores=2"}, first + ": cores=2 tries=5"},
		{0, []string{"needs", "1", "--reset", "labels=big"}, first + ": labels=big"},
		{0, []string{"needs", "1", "--reset"}, first + ": as usual"},
		{0, []string{"failures", "1"}, ""},
		{0, []string{"log", frame}, "nothing was said yet"},
		{5, []string{"wait", "--timeout", "10ms", "1"}, "ready"},
		{0, []string{"pause"}, ""},
		{0, []string{"queue"}, "paused since"},
		{0, []string{"resume"}, ""},
		{0, []string{"drop", "1"}, "drop"},
		{0, []string{"wait", "1"}, "dropped"},
		{0, []string{"queue"}, "nothing is in the queue"},
		{0, []string{"queue", "--finished"}, "dropped"},
	} {
		if out := call(step.exit, step.args...); !strings.Contains(out, step.says) {
			t.Errorf("%v says\n%s", step.args, out)
		}
	}
}

// What has failed is told by reasons, and retried together by one of them.
func TestFailuresAreToldByReasons(t *testing.T) {
	data := seeded(t, func(p *production.Production) { p.Shots = p.Shots[:2] })
	if _, complaints, err := run(t, "send", "--data", data); err != nil {
		t.Fatal(complaints)
	}
	h, err := house.Open(data, false)
	if err != nil {
		t.Fatal(err)
	}
	defer h.Close()
	for i := range 5 {
		l, err := h.Record.Lease("hand")
		if err != nil {
			t.Fatal(err)
		}
		reason := "missing texture quay.png"
		if i == 2 {
			reason = "frame 1003 has a number that is none"
		}
		if err := h.Record.Refuse(l, reason, "said"); err != nil {
			t.Fatal(err)
		}
	}
	out, _, err := run(t, "failures", "--data", data, "1")
	if code(err) != 3 ||
		!strings.Contains(out, "missing texture quay.png: 4 frames of 1 sequence failed\n  1/010/") {
		t.Errorf("exit %d\n%s", code(err), out)
	}
	n, err := h.Record.ApplyToFailures("SALT", 1, queue.Kind("missing texture quay.png"), queue.Retry)
	if n != 4 || err != nil {
		t.Errorf("retried were %d, %v", n, err)
	}
	out, _, _ = run(t, "failures", "--data", data, "1", "--json")
	if strings.Contains(out, "quay.png") || !strings.Contains(out, "a number that is none") {
		t.Errorf("left is\n%s", out)
	}
}
