package separators

import "golang.org/x/sys/cpu"

// hasAVX2 tells whether this machine has what the assembly is made of.
var hasAVX2 = cpu.X86.HasAVX2 && cpu.X86.HasPCLMULQDQ && cpu.X86.HasBMI1 && cpu.X86.HasPOPCNT
