package demo

import (
	"reelhouse/core/frame"
	"reelhouse/core/look"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/production"
	"reelhouse/core/raster"
)

// A Mistake is something wrong that is put into the demo, to see the rule that finds it.
type Mistake struct {
	Rule string // its name in core/preflight
	What string
	Make func(p *production.Production)
}

// Mistakes returns one for every rule that a set-up alone can show. The others need a full disk, a queue, or another
// scene.
func Mistakes() []Mistake {
	final := func(p *production.Production) { p.Quality = "final" }
	shot := func(p *production.Production, code string) *production.Shot {
		for i := range p.Shots {
			if p.Shots[i].Code == code {
				return &p.Shots[i]
			}
		}
		return &production.Shot{}
	}
	master := func(p *production.Production) *output.Output { return &p.Outputs[0] }
	return []Mistake{
		{"empty-batch", "every shot is left out", func(p *production.Production) {
			for i := range p.Shots {
				p.Shots[i].InBatch = false
			}
		}},
		{
			"camera-missing",
			"a view looks through a camera that the scene does not have",
			func(p *production.Production) { p.Views[0].Camera = "cam_jetty" },
		},
		{"scene-opaque", "the scene can be read by another renderer only", func(p *production.Production) {
			p.Scene.Opaque = &production.Opaque{
				Cameras: []string{"cam_quay", "cam_bow", "cam_alongside", "cam_lighthouse"},
				Seconds: 6,
			}
		}},
		{"renderer-cannot", "a shot asks for a renderer that the house does not have", func(p *production.Production) {
			p.Shots[0].Renderer = "lugsail"
		}},
		{"same-path", "names do not tell sizes apart", func(p *production.Production) {
			p.Names.Pattern = "(production)/(shot)_(output)_(pass).(frame:4).(ext)"
		}},
		{"format-too-small", "depth goes to a format without float numbers", func(p *production.Production) {
			*master(p) = master(p).Switch(output.PNG)
			master(p).Packing = output.Files
		}},
		{
			"pass-left-out",
			"the master takes the beauty alone",
			func(p *production.Production) { master(p).Only = []pass.Code{pass.Beauty} },
		},
		{"lossy-master", "the master is a JPEG", func(p *production.Production) {
			*master(p) = master(p).Switch(output.JPEG)
			master(p).Only = []pass.Code{pass.Beauty}
		}},
		{
			"no-master",
			"the master is one for looking",
			func(p *production.Production) { master(p).Role = output.Review },
		},
		{
			"below-minimum",
			"the delivery wants larger pictures",
			func(p *production.Production) { p.Floor = production.Floor{Width: 4096, Height: 1716} },
		},
		{"alpha-lost", "a transparent background, and no alpha", func(p *production.Production) {
			p.Picture.Background = look.Background{Kind: look.Transparent}
			*master(p) = master(p).Switch(output.TIFF)
			master(p).Only, master(p).Alpha = []pass.Code{pass.Beauty}, output.NoAlpha
		}},
		{
			"not-portable",
			"a folder begins with a hyphen",
			func(p *production.Production) { p.Names.Pattern = "-" + p.Names.Pattern },
		},
		{"padding-too-short", "frame numbers of two lengths", func(p *production.Production) {
			p.FirstFrame, p.Names.Pattern = 91,
				"(production)/(shot)/(output)/(size)/v(version)/(pass)/(view).(frame:2).(ext)"
			shot(p, "010").Frames = frame.Of(91, 120)
		}},
		{
			"beyond-the-scene",
			"a range that goes on after the scene has ended",
			func(p *production.Production) { shot(p, "010").Frames = frame.Of(1001, 1300) },
		},
		{"quick-settings", "the draft is still chosen", func(p *production.Production) { p.Quality = "draft" }},
		{
			"light-cut-off",
			"light is limited in a final",
			func(p *production.Production) { final(p); p.Qualities[1].Effort.Clamp = 8 },
		},
		{
			"stretched-panorama",
			"a panorama in scope",
			func(p *production.Production) { p.Views[0].Setup.Panorama = true },
		},
		{"data-in-few-bits", "depth in 8 bits", func(p *production.Production) {
			*master(p) = master(p).Switch(output.PNG)
			master(p).Depth, master(p).Packing = output.Eight, output.Files
		}},
		{"data-lossy", "depth with loss", func(p *production.Production) { master(p).Compression = output.DWAA }},
		{
			"depth-background-near",
			"a sky nearer than the far shore",
			func(p *production.Production) { everyDepth(p, func(d *pass.DepthSettings) { d.Background = 50 }) },
		},
		{
			"depth-clipped",
			"a picture of depth that ends in the harbour",
			func(p *production.Production) {
				everyDepth(p, func(d *pass.DepthSettings) {
					d.Style = pass.DepthStyle{Picture: true, Near: 1, Far: 60}
				})
			},
		},
		{
			"depth-unit",
			"metres that count as kilometres",
			func(p *production.Production) {
				p.Scene.Unit = 1000
				everyDepth(p, func(d *pass.DepthSettings) { d.Background = 1e8 })
			},
		},
		{
			"look-not-in-scene",
			"a variant of materials that the scene does not have",
			func(p *production.Production) { p.Looks[0].Variant = "winter" },
		},
		{
			"matte-without-hidden",
			"the ferry is hidden from the camera, and mattes are wanted",
			func(p *production.Production) { p.Looks[0].Unseen = []string{"ferry"} },
		},
		{
			"other-look",
			"a shot under the light of another",
			func(p *production.Production) { shot(p, "010").Look = "overcast" },
		},
		{
			"view-without-shot",
			"a view that no shot shows",
			func(p *production.Production) { shot(p, "050").View = "quay" },
		},
		{
			"still-as-range",
			"a still of seven frames",
			func(p *production.Production) { shot(p, "040").Frames = frame.Of(1084, 1090) },
		},
		{
			"range-as-still",
			"a shot of one frame",
			func(p *production.Production) { shot(p, "010").Frames = frame.Of(1001, 1001) },
		},
		{
			"last-frame-missing",
			"a range that ends one frame early",
			func(p *production.Production) { shot(p, "010").Frames = frame.Of(1001, 1143) },
		},
		{
			"cut-needs-more",
			"a cut of frames that are not rendered",
			func(p *production.Production) { shot(p, "010").Frames = frame.Of(1001, 1030) },
		},
		{"steps-left-on", "every second frame of a final", func(p *production.Production) { final(p) }},
		{"region-left-on", "a corner of a final", func(p *production.Production) {
			final(p)
			p.Region = raster.Part{Left: 50, Top: 50, Right: 100, Bottom: 100}
		}},
		{
			"quick-shot",
			"one draft shot in a final",
			func(p *production.Production) { final(p); shot(p, "010").Quality = "draft" },
		},
		{
			"alpha-in-some",
			"one look has a transparent background, and the others have not",
			func(p *production.Production) { p.Looks[1].Background = look.Background{Kind: look.Transparent} },
		},
		{"tiles-without-clock", "tiles that each end by the clock", func(p *production.Production) {
			p.Qualities[0].Effort.Seconds, p.Qualities[0].Tiles = 60, raster.Bands(4)
		}},
		{
			"tiles-too-large",
			"halves of a picture, where the memory is enough for a third",
			func(p *production.Production) {
				final(p)
				p.Qualities[1].Memory = production.LeastMemory
				shot(p, "010").SetTiles("quay", "scope", raster.Bands(2))
			},
		},
		{
			"volume-unusable",
			"files go to a volume that is not configured",
			func(p *production.Production) { p.Volume = "archive" },
		},
		{"disk-too-small", "a film of a million frames", func(p *production.Production) {
			final(p)
			for i := range p.Shots {
				p.Shots[i].Frames, p.Shots[i].Step = frame.Of(1001, 1_000_000), 0
			}
		}},
	}
}

// everyDepth changes the settings of depth of every pass list.
func everyDepth(p *production.Production, change func(*pass.DepthSettings)) {
	for i := range p.PassLists {
		change(&p.PassLists[i].Depth)
	}
}
