package main

import (
	"github.com/shirou/gopsutil/v4/cpu"
	"github.com/shirou/gopsutil/v4/mem"
)

// machineMemory returns how much memory this machine has, in bytes; 0 for not known.
func machineMemory() int64 {
	m, err := mem.VirtualMemory()
	if err != nil {
		return 0
	}
	return int64(m.Total)
}

// machineLoad returns the processor time of all cores that was in use since it was asked last, 0 to 1, and the memory
// that is free, in bytes.
func machineLoad() (load float64, free int64) {
	if percent, err := cpu.Percent(0, false); err == nil && len(percent) == 1 {
		load = percent[0] / 100
	}
	if m, err := mem.VirtualMemory(); err == nil {
		free = int64(m.Available)
	}
	return load, free
}
