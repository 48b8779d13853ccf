// Package large is the floor of what does not fit into memory: sorting and finding equals with
// the help of files, numbering texts, and putting into order what ends out of order. What the
// bytes mean is for others.
package large
