"""What nobody tries by hand: faults at every system call, kills, power that fails. `make torture` runs it."""
