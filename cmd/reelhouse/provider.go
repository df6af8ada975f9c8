package main

import (
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"reelhouse/farm"
	"reelhouse/farm/wire"
)

// providerCommand is the stand-in for a provider of machines: a node process on this machine is a machine.
func providerCommand() *cobra.Command {
	var folder string
	var slots int
	cmd := &cobra.Command{
		Use:   "provider",
		Short: "Start and end nodes on this machine, as a provider of machines would (the stand-in)",
		Long: "What a server calls that wakes machines when they would help; see docs/farm.md. This one stands in " +
			"for the command of whoever rents machines out: its machines are processes here.",
	}
	wakeUp := &cobra.Command{
		Use: "wake NAME TOKENFILE", Short: "Start a machine", Args: cobra.ExactArgs(2),
		RunE: func(_ *cobra.Command, args []string) error { return wakeMachine(folder, args[0], args[1], slots) },
	}
	sleep := &cobra.Command{
		Use: "sleep NAME", Short: "End a machine", Args: cobra.ExactArgs(1),
		RunE: func(_ *cobra.Command, args []string) error { return endMachine(folder, args[0]) },
	}
	cmd.PersistentFlags().StringVar(&folder, "folder", "reelhouse-machines", "where what the machines keep lies")
	cmd.PersistentFlags().IntVar(&slots, "slots", 1, "tasks that a machine does side by side")
	cmd.AddCommand(wakeUp, sleep)
	return cmd
}

func pidPath(folder, name string) string { return filepath.Join(folder, name+".pid") }

// wakeMachine starts a node process, unless it runs.
func wakeMachine(folder, name, token string, slots int) error {
	if err := wire.CheckName(name); err != nil {
		return err
	}
	if p := machineProcess(folder, name); p != nil {
		return nil // it is awake
	}
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return err
	}
	self, err := os.Executable()
	if err != nil {
		return err
	}
	log, err := os.OpenFile(filepath.Join(folder, name+".log"), os.O_CREATE|os.O_WRONLY|os.O_APPEND, 0o600)
	if err != nil {
		return err
	}
	defer log.Close()
	cmd := exec.Command(self, "node", "--token", token, "--scratch", filepath.Join(folder, name), "--slots",
		strconv.Itoa(slots))
	cmd.Stdout, cmd.Stderr = log, log
	farm.Apart(cmd)
	if err := cmd.Start(); err != nil {
		return err
	}
	return os.WriteFile(pidPath(folder, name), []byte(strconv.Itoa(cmd.Process.Pid)), 0o600)
}

// machineProcess returns the process of a machine, nil if it does not run.
func machineProcess(folder, name string) *os.Process {
	text, err := os.ReadFile(pidPath(folder, name))
	if err != nil {
		return nil
	}
	pid, err := strconv.Atoi(strings.TrimSpace(string(text)))
	if err != nil || pid <= 0 {
		return nil
	}
	scratch := filepath.Join(folder, name)
	if line, err := os.ReadFile(fmt.Sprintf("/proc/%d/cmdline", pid)); err == nil &&
		!strings.Contains(string(line), scratch) {
		return nil // another one has its number by now
	}
	p, err := os.FindProcess(pid)
	if err != nil || p.Signal(syscall.Signal(0)) != nil {
		return nil
	}
	return p
}

// machineEndsIn is how long a machine may take to end by itself.
const machineEndsIn = 20 * time.Second

// endMachine ends a node process, and returns when it has ended.
func endMachine(folder, name string) error {
	if err := wire.CheckName(name); err != nil {
		return err
	}
	p := machineProcess(folder, name)
	if p == nil {
		return nil
	}
	if err := p.Signal(os.Interrupt); err != nil && !errors.Is(err, os.ErrProcessDone) {
		return err
	}
	for end := time.Now().Add(machineEndsIn); machineProcess(folder, name) != nil; {
		if time.Now().After(end) {
			return p.Kill()
		}
		time.Sleep(50 * time.Millisecond)
	}
	return os.Remove(pidPath(folder, name))
}
