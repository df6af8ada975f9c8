// Package wire is what the house and nodes on other machines say to each other. docs/farm.md describes it.
//
// Both sides say again and again how things are, and do what follows from it: a message that is lost, late or sent
// twice changes nothing for good. Only results, and what was said during an errand, are kept by JetStream until the
// house has taken them.
package wire

import (
	"encoding/json"
	"slices"
	"strconv"
	"strings"
	"time"

	"reelhouse/core/fingerprint"
	"reelhouse/core/job"
)

// Version is that of the protocol. A node of another one is told so, and takes nothing.
const Version = 1

// Subjects, behind each of which stands the name of a node.
const (
	HelloTo = "reelhouse.hello." // a Hello, answered by a Welcome
	BeatTo  = "reelhouse.beat."  // a Beat, answered by a Tasks
	SaidTo  = "reelhouse.said."  // a Said, kept
	DoneTo  = "reelhouse.done."  // a Result, kept
	PokeTo  = "reelhouse.poke."  // by the house: beat now

	inboxOf = "_INBOX."
)

// Stream is the name of the stream that keeps what nodes say and their results.
const Stream = "REELHOUSE_FARM"

// Inbox is what the subjects begin with on which a node gets answers.
func Inbox(node string) string { return inboxOf + node }

// Publishes returns the subjects to which a node may send, and Listens those that it may hear.
func Publishes(node string) []string {
	return []string{HelloTo + node, BeatTo + node, SaidTo + node, DoneTo + node}
}

// Listens returns the subjects that a node may hear.
func Listens(node string) []string { return []string{Inbox(node) + ".>", PokeTo + node} }

// A Hello is how a node presents itself, after it has connected.
type Hello struct {
	Version int    `json:"version"` // of the protocol
	Program string `json:"program"` // version of this program
	// Contract is the version of what jobs say to renderers; see job.Version.
	Contract int    `json:"contract"`
	System   string `json:"system"`  // such as linux/amd64
	Machine  string `json:"machine"` // its own name
	// Instance is that of its scratch folder, by which two machines with one token are told apart.
	Instance string `json:"instance"`
	// Processor is what kind it is: only among those of one kind the same bytes are expected.
	Processor string   `json:"processor"`
	Cores     int      `json:"cores"`
	Memory    int64    `json:"memory"` // bytes; 0 for not known
	Slots     int      `json:"slots"`
	Labels    []string `json:"labels"`
	// Simulated says that it only seems to be a machine, and that its pictures are not of the scene.
	Simulated bool `json:"simulated,omitempty"`
	// Shares are folders of the house, as that calls them, that the node says it has, too.
	Shares []string `json:"shares,omitempty"`
	Programs
}

// Programs are renderers, and kinds of work with the versions of what does them.
type Programs struct {
	Renderers []fingerprint.Renderer `json:"renderers"`
	Kinds     []fingerprint.Renderer `json:"kinds"`
}

// Lacks returns what is not there in its version, of what a house has: a node gets no tasks for that.
func (p Programs) Lacks(house Programs) (all []string) {
	for _, of := range [][2][]fingerprint.Renderer{{house.Renderers, p.Renderers}, {house.Kinds, p.Kinds}} {
		for _, r := range of[0] {
			if !slices.Contains(of[1], r) {
				all = append(all, strings.TrimSpace(r.Name+" "+r.Version))
			}
		}
	}
	return all
}

// A Welcome is the answer to a Hello.
type Welcome struct {
	Refused string        `json:"refused,omitempty"` // why the node gets no work; "" if it does
	Program string        `json:"program"`           // version of the house
	Lacks   []string      `json:"lacks,omitempty"`   // what the node does not have, of what the house has
	Key     string        `json:"key"`               // for bytes, until the next Hello
	Shares  []Share       `json:"shares,omitempty"`  // to be answered
	Every   time.Duration `json:"every"`             // between two beats
	Lease   time.Duration `json:"lease"`             // without a beat for so long, it loses what it has
}

// A Beat says what a node has, and how many slots are free.
type Beat struct {
	Instance string  `json:"instance"` // as in Hello
	Free     int     `json:"free"`
	Have     []Held  `json:"have,omitempty"`
	Load     float64 `json:"load"`   // processor time of all its cores in use, 0 to 1
	Memory   int64   `json:"memory"` // bytes that are free
	Disk     int64   `json:"disk"`   // bytes that are free for scratch
	// Trouble is why it cannot work, "" if it can.
	Trouble string `json:"trouble,omitempty"`
	// Leaving says that the node ends: what it has goes to others at once.
	Leaving bool `json:"leaving,omitempty"`
}

// Held is an errand in a node's hands.
type Held struct {
	Lease    int64   `json:"lease"`
	Frame    int     `json:"frame"`    // that its program is at, of an errand of several
	Progress float64 `json:"progress"` // of that, 0 to 1
}

// Tasks is the answer to a Beat: all errands that the node is to have. Others are not its own any more, and what is
// left of them can go. Unknown says that the house wants a Hello first; nothing follows from the other fields then.
type Tasks struct {
	Unknown bool    `json:"unknown,omitempty"`
	Leases  []int64 `json:"leases,omitempty"`
	Paused  string  `json:"paused,omitempty"` // why it gets no new ones
}

// An Errand is an order for a program of the node. It is fetched as bytes.
type Errand struct {
	Lease   int64  `json:"lease"`
	Program string `json:"program"` // see farm.ProgramOf
	Version string `json:"version"` // of the program
	// Order is a job.Job, job.Assembly or job.FollowUp, whose paths are those of Reads, as read:N, and of Writes, as
	// write:N.
	Order  json.RawMessage `json:"order"`
	Reads  []Read          `json:"reads"`
	Writes []Write         `json:"writes"`
	Cores  int             `json:"cores"`
	Memory int64           `json:"memory"` // bytes that the program may take; 0 for any
}

// A Read is a file that an errand needs.
type Read struct {
	Name   string `json:"name"` // without a folder
	Bytes  int64  `json:"bytes"`
	SHA256 string `json:"sha256"`
	// Shared is the path of the house, if it lies in a folder that the node has, too; "" if it is fetched.
	Shared string `json:"shared,omitempty"`
}

// A Write is a file that comes of an errand.
type Write struct {
	Name string `json:"name"` // without a folder
	Most int64  `json:"most"` // bytes that it may have
	// Shared is the path of the house, if it lies in a folder that the node has, too; "" if it is sent.
	Shared string `json:"shared,omitempty"`
}

// A Said is what was said during an errand: its number counts the messages of the errand from 1, and the text goes on
// from the one before.
type Said struct {
	Lease  int64         `json:"lease"`
	Number int           `json:"number"`
	Text   string        `json:"text,omitempty"`
	Heard  []job.Message `json:"heard,omitempty"` // with paths as write:N
}

// A Result is how an errand has ended. Its files are with the house by then.
type Result struct {
	Lease      int64  `json:"lease"`
	Failed     string `json:"failed,omitempty"`     // "" if its program has done all of it
	NotStarted bool   `json:"notStarted,omitempty"` // its program could not be started
	Node       string `json:"node,omitempty"`       // what was wrong with the node, not with the errand
	Files      []Made `json:"files,omitempty"`
	// A message that would be too long is several. More says that others follow with the rest of the files, and
	// Earlier, in the last one, how many files those before it have named.
	More    bool `json:"more,omitempty"`
	Earlier int  `json:"earlier,omitempty"`
}

// FilesOnce is how many files a message of a result names at most.
const FilesOnce = 4000

// Messages returns the messages that a result is said in.
func (r Result) Messages() (all []Result) {
	for first := 0; first < len(r.Files)-FilesOnce; first += FilesOnce {
		all = append(all, Result{Lease: r.Lease, More: true, Files: r.Files[first : first+FilesOnce]})
	}
	r.Earlier = len(all) * FilesOnce
	r.Files = r.Files[r.Earlier:]
	return append(all, r)
}

// Made is a file that came of an errand, by its place among Writes.
type Made struct {
	Write  int    `json:"write"`
	Bytes  int64  `json:"bytes"`
	SHA256 string `json:"sha256"`
}

// Largest is how long a message may be, in bytes. What could be longer is sent as bytes.
const Largest = 1 << 20

// ReadPath and WritePath are the paths of files in an order that is on its way, by their places.
func ReadPath(i int) string { return readMark + strconv.Itoa(i) }

// WritePath is the path of a file that is to be written.
func WritePath(i int) string { return writeMark + strconv.Itoa(i) }

// ReadAt returns the place of the file of a path; false if it is none.
func ReadAt(path string) (int, bool) { return placeIn(path, readMark) }

// WriteAt returns the place of a file that is to be written; false if it is none.
func WriteAt(path string) (int, bool) { return placeIn(path, writeMark) }

const (
	readMark  = "read:"
	writeMark = "write:"
)

func placeIn(path, mark string) (int, bool) {
	rest, marked := strings.CutPrefix(path, mark)
	i, err := strconv.Atoi(rest)
	return i, marked && err == nil && i >= 0
}

// HaveHeader says how many bytes the house has of a file that is being sent.
const HaveHeader = "Reelhouse-Have"
