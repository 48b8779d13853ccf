// Package browser has tests look at a page in a real browser without a window: it drives Chromium over its DevTools
// protocol, through a pipe, and notes whatever the page asks for and complains about.
package browser

import (
	"bufio"
	"bytes"
	"context"
	"encoding/base64"
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"sync"
	"testing"
	"time"
)

// Variable is the variable of the environment that says where the browser is. Without it, tests that need one are
// passed over; continuous integration sets it.
const Variable = "LASTBLOCK_BROWSER"

// patience is how long an answer may take.
const patience = 60 * time.Second

// Page is a page of a browser of its own.
type Page struct {
	t       testing.TB
	to      *os.File
	session string

	mutex    sync.Mutex
	next     int
	answers  map[int]chan message
	loaded   chan struct{}
	problems []string
	requests []string
}

// message is one of the protocol: a call, its answer, or an event.
type message struct {
	ID      int             `json:"id,omitempty"`
	Session string          `json:"sessionId,omitempty"`
	Method  string          `json:"method,omitempty"`
	Params  json.RawMessage `json:"params,omitempty"`
	Result  json.RawMessage `json:"result,omitempty"`
	Error   *struct {
		Message string `json:"message"`
	} `json:"error,omitempty"`
}

// New starts a browser with a blank page of a width and a height. It ends with the test.
func New(t testing.TB, width, height int) *Page {
	t.Helper()
	program := os.Getenv(Variable)
	if program == "" {
		t.Skip(Variable + " says where a browser is")
	}
	in, to, err := os.Pipe()
	if err != nil {
		t.Fatal(err)
	}
	from, out, err := os.Pipe()
	if err != nil {
		t.Fatal(err)
	}
	ctx, cancel := context.WithCancel(context.Background())
	cmd := exec.CommandContext(ctx, program, "--headless", "--no-sandbox", "--disable-gpu", "--disable-dev-shm-usage",
		"--no-first-run", "--disable-extensions", "--remote-debugging-pipe", "--user-data-dir="+t.TempDir(),
		"about:blank")
	cmd.ExtraFiles = []*os.File{in, out} // which it has as 3 and 4
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	in.Close()
	out.Close()
	p := &Page{t: t, to: to, answers: make(map[int]chan message), loaded: make(chan struct{}, 8)}
	var reading sync.WaitGroup
	reading.Go(func() { p.read(from) })
	t.Cleanup(func() {
		p.call("", "Browser.close", nil, nil) // which lets go of its files
		_ = cmd.Wait()                        // its code says nothing
		cancel()
		to.Close()
		reading.Wait()
		from.Close()
	})
	target := struct {
		ID string `json:"targetId"`
	}{}
	p.call("", "Target.createTarget", map[string]any{"url": "about:blank"}, &target)
	attached := struct {
		Session string `json:"sessionId"`
	}{}
	p.call("", "Target.attachToTarget", map[string]any{"targetId": target.ID, "flatten": true}, &attached)
	p.session = attached.Session
	for _, domain := range []string{"Page", "Runtime", "Log", "Network"} {
		p.call(p.session, domain+".enable", nil, nil)
	}
	p.call(p.session, "Emulation.setDeviceMetricsOverride", map[string]any{"width": width, "height": height,
		"deviceScaleFactor": 1, "mobile": false}, nil)
	return p
}

// read takes what the browser says, until it ends.
func (p *Page) read(from *os.File) {
	in := bufio.NewReaderSize(from, 1<<20)
	for {
		data, err := in.ReadBytes(0)
		if err != nil {
			return
		}
		var m message
		if json.Unmarshal(bytes.TrimSuffix(data, []byte{0}), &m) != nil {
			continue
		}
		p.mutex.Lock()
		if answer := p.answers[m.ID]; m.ID > 0 && answer != nil {
			answer <- m
			delete(p.answers, m.ID)
		} else {
			p.note(&m)
		}
		p.mutex.Unlock()
	}
}

// note takes an event.
func (p *Page) note(m *message) {
	switch m.Method {
	case "Page.loadEventFired":
		p.loaded <- struct{}{}
	case "Runtime.exceptionThrown", "Runtime.consoleAPICalled", "Log.entryAdded", "Page.javascriptDialogOpening":
		p.problems = append(p.problems, m.Method+" "+string(m.Params))
	case "Network.requestWillBeSent":
		of := struct {
			Request struct {
				URL string `json:"url"`
			} `json:"request"`
		}{}
		if json.Unmarshal(m.Params, &of) == nil {
			p.requests = append(p.requests, of.Request.URL)
		}
	}
}

// call calls a method and waits for its answer, which goes into result where that is not nil.
func (p *Page) call(session, method string, params, result any) {
	p.t.Helper()
	p.mutex.Lock()
	p.next++
	id, answer := p.next, make(chan message, 1)
	p.answers[id] = answer
	p.mutex.Unlock()
	data, err := json.Marshal(params)
	if err != nil {
		p.t.Fatal(err)
	}
	if params == nil {
		data = []byte("{}")
	}
	data, err = json.Marshal(message{ID: id, Session: session, Method: method, Params: data})
	if err != nil {
		p.t.Fatal(err)
	}
	if _, err := p.to.Write(append(data, 0)); err != nil {
		p.t.Fatalf("%s: %v", method, err)
	}
	select {
	case m := <-answer:
		if m.Error != nil {
			p.t.Fatalf("%s: %s", method, m.Error.Message)
		}
		if result != nil {
			if err := json.Unmarshal(m.Result, result); err != nil {
				p.t.Fatalf("%s: %v", method, err)
			}
		}
	case <-time.After(patience):
		p.t.Fatalf("%s: the browser does not answer", method)
	}
}

// Open opens a file, at a place of it such as "#findings", and waits until it is there.
func (p *Page) Open(path, at string) {
	p.t.Helper()
	path, err := filepath.Abs(path)
	if err != nil {
		p.t.Fatal(err)
	}
	p.call(p.session, "Page.navigate", map[string]any{"url": "about:blank"}, nil)
	<-p.loaded
	p.call(p.session, "Page.navigate", map[string]any{"url": "file://" + path + at}, nil)
	select {
	case <-p.loaded:
	case <-time.After(patience):
		p.t.Fatalf("%s is not loaded", path)
	}
}

// WithoutScript has pages run no script of their own from now on.
func (p *Page) WithoutScript() {
	p.t.Helper()
	p.call(p.session, "Emulation.setScriptExecutionDisabled", map[string]any{"value": true}, nil)
}

// Eval works out an expression of JavaScript in the page.
func (p *Page) Eval(expression string, result any) {
	p.t.Helper()
	answer := struct {
		Result struct {
			Value json.RawMessage `json:"value"`
		} `json:"result"`
		Exception *struct {
			Text      string          `json:"text"`
			Exception json.RawMessage `json:"exception"`
		} `json:"exceptionDetails"`
	}{}
	p.call(p.session, "Runtime.evaluate", map[string]any{"expression": expression, "returnByValue": true,
		"awaitPromise": true}, &answer)
	if answer.Exception != nil {
		p.t.Fatalf("%s: %s %s", expression, answer.Exception.Text, answer.Exception.Exception)
	}
	if result != nil {
		if err := json.Unmarshal(answer.Result.Value, result); err != nil {
			p.t.Fatalf("%s: %v, of %s", expression, err, answer.Result.Value)
		}
	}
}

// Press presses a key on what has the focus.
func (p *Page) Press(key string, code int) {
	p.t.Helper()
	for _, kind := range []string{"keyDown", "keyUp"} {
		text := ""
		if kind == "keyDown" && key == "Enter" {
			text = "\r"
		}
		p.call(p.session, "Input.dispatchKeyEvent", map[string]any{"type": kind, "key": key, "code": key, "text": text,
			"windowsVirtualKeyCode": code}, nil)
	}
}

// PDF prints the page, with the paper that its style asks for.
func (p *Page) PDF() []byte {
	p.t.Helper()
	answer := struct {
		Data string `json:"data"`
	}{}
	p.call(p.session, "Page.printToPDF", map[string]any{"preferCSSPageSize": true, "printBackground": true}, &answer)
	data, err := base64.StdEncoding.DecodeString(answer.Data)
	if err != nil {
		p.t.Fatal(err)
	}
	return data
}

// Problems are what the page has complained about so far.
func (p *Page) Problems() []string {
	p.mutex.Lock()
	defer p.mutex.Unlock()
	return p.problems
}

// Requests are the addresses that the page has asked for, its own among them.
func (p *Page) Requests() []string {
	p.mutex.Lock()
	defer p.mutex.Unlock()
	return p.requests
}
