// Package month is the floor of the month end as a whole: its plan, and drafting one from what
// lies in a folder.
package month
