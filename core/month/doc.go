// Package month is the floor of the month end as a whole: what is asked of each of its tasks, be
// it in a plan or on a command line, what they read, and drafting a plan from what lies in a folder.
package month
