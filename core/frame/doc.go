// Package frame holds frame numbers, sets of them, and frame rates.
//
// A Set is what a person types to say which frames of a shot are wanted. Its text form is
//
//	set   = item { "," item }
//	item  = [ "!" ] range
//	range = number [ "-" number [ "x" step ] ]
//
// Numbers are whole and may be negative ("-5--1" is minus five to minus one). Both ends of a range
// are in the set. "x2" takes every second frame, counted from the first. "!" leaves frames out,
// wherever in the text it stands. White space around items is ignored.
//
//	1001-1048                 48 frames
//	1001-1048x2               24 frames: 1001, 1003, ... 1047
//	1001-1048,!1030-1035      42 frames
//
// A range with step s holds floor((last-first)/s)+1 frames. A Set is kept as runs and never as a
// list of numbers, so a million frames cost as much as one.
package frame
