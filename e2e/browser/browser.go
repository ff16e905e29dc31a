// Package browser starts the machine's Chromium, headless, for the browser tests and the screenshots.
package browser

import (
	"errors"
	"os"
	"os/exec"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/launcher"
	"github.com/go-rod/rod/lib/proto"
)

// Start starts Chromium with a profile of its own; stop ends it and takes the profile away. Nothing but
// loopback resolves.
func Start() (b *rod.Browser, stop func(), err error) {
	bin, err := exec.LookPath("chromium")
	if err != nil {
		return nil, nil, errors.New("chromium is not installed; as root run: apt-get install chromium")
	}
	dir, err := os.MkdirTemp("", "rubricon-chromium")
	if err != nil {
		return nil, nil, err
	}
	l := launcher.New().Bin(bin).HeadlessNew(true).NoSandbox(os.Geteuid() == 0).UserDataDir(dir).
		Set("disable-gpu").Set("disable-quic").Set("disable-component-update").Set("no-default-browser-check").
		Set("disable-domain-reliability").Set("hide-scrollbars").Set("font-render-hinting", "none").
		Set("window-size", "1280,800").Set("host-resolver-rules", "MAP * ~NOTFOUND , EXCLUDE 127.0.0.1 , EXCLUDE localhost")
	url, err := l.Launch()
	if err != nil {
		_ = os.RemoveAll(dir)
		return nil, nil, err
	}
	b = rod.New().ControlURL(url)
	if err := b.Connect(); err != nil {
		l.Kill()
		return nil, nil, err
	}
	return b, func() {
		_ = b.Close()
		l.Kill()
		l.Cleanup()
	}, nil
}

// Page opens a page of its own, without cookies, at a size, that has the focus next to others that have it
// too. Phone pages take touches. Its browser's Close ends it. (The page's own Close asks the page whether it
// may, and waits for the answer as long as it takes, and all other pages with it.)
func Page(b *rod.Browser, width, height int) (page *rod.Page, err error) {
	alone, err := b.Incognito()
	if err != nil {
		return nil, err
	}
	if page, err = alone.Page(proto.TargetCreateTarget{}); err != nil {
		return nil, err
	}
	if err = (proto.EmulationSetFocusEmulationEnabled{Enabled: true}).Call(page); err != nil {
		return nil, err
	}
	return page, page.SetViewport(&proto.EmulationSetDeviceMetricsOverride{Width: width, Height: height,
		DeviceScaleFactor: 1, Mobile: width < 600})
}
