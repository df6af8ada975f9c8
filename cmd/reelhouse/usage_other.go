//go:build !unix

package main

import "reelhouse/core/job"

func keepFromChildren(int) {}

// usedByChildren is not known here.
func usedByChildren() (job.Message, bool) { return job.Message{}, false }
