//go:build unix

package farm

import (
	"os/exec"
	"syscall"
)

// Apart keeps a supervisor from hearing what is said to the server's group, such as an interrupt from the keyboard: the
// node tells it when to end, and knows then why.
func Apart(cmd *exec.Cmd) { cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true} }
