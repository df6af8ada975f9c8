// Package demo makes "The Saltmarsh Ferry": a scene built by code and the production that renders it.
// Everything in it is invented.
package demo

import (
	"reelhouse/core/camera"
	"reelhouse/core/cut"
	"reelhouse/core/frame"
	"reelhouse/core/pass"
	"reelhouse/core/production"
	"reelhouse/core/raster"
)

// SceneName is what the demo's scene file is called.
const SceneName = "saltmarsh_ferry.glb"

// Production returns the demo's document; scene and clouds are the files that Scene and Clouds were kept as.
func Production(scene production.SceneFile, clouds production.EnvironmentFile) production.Production {
	p := production.New("SALT", "The Saltmarsh Ferry")
	p.Scene = scene
	p.Standards = Standards()
	p.Looks = Looks()
	clouds.Code = CloudsCode
	p.Environments = []production.EnvironmentFile{clouds}
	p.Views = []production.View{
		{Code: "quay", Name: "From the quay", Camera: "cam_quay", Look: "dusk"},
		{Code: "bow", Name: "Low at the bow", Camera: "cam_bow", Look: "dusk"},
		{Code: "alongside", Name: "Alongside the ferry", Camera: "cam_alongside", Look: "dusk"},
		{Code: "lighthouse", Name: "High in the lighthouse", Camera: "cam_lighthouse", Look: "overcast"},
		{Code: "night", Name: "The quay by lamplight", Camera: "cam_quay", Look: "lamplight"},
	}
	turn := camera.Rig{
		Kind: camera.Ring, Code: "turn", Name: "Dinghy turnaround", Camera: "cam_turn", Look: "cutout",
		Subject: turnaround, Count: 8, Radius: turnRadius, Height: turnHeight,
		Start: 290, Arc: 360, // the first stands before the bow
	}
	if err := p.SetRig(turn, nil); err != nil {
		panic(err) // a ring as above can be
	}
	p.PassLists = []production.PassList{
		{Code: "minimum", Name: "Minimum", Passes: []pass.Code{pass.Beauty}},
		{Code: "depth", Name: "Beauty and depth", Passes: []pass.Code{pass.Beauty, pass.Depth}},
		{Code: "comp", Name: "Compositing", Passes: []pass.Code{pass.Beauty, pass.Depth, pass.Normal, pass.Object}},
		{Code: "lights", Name: "Light by light", Passes: []pass.Code{
			pass.Beauty, pass.LightCode("sky"), pass.LightCode("sun"), pass.LightCode("quay"), pass.LightCode("tower"),
			pass.LightCode("boats"), pass.LightCode(pass.OtherLight),
		}, Choices: []production.PassChoice{{Pass: pass.Beauty, OtherDepth: true}}},
		{Code: "relight", Name: "Relight and mattes", Passes: []pass.Code{
			pass.Beauty, pass.LightCode("sky"), pass.LightCode("sun"), pass.LightCode("quay"), pass.LightCode("tower"),
			pass.LightCode("boats"), pass.LightCode(pass.OtherLight), pass.Depth, pass.Position, pass.CryptoObject,
			pass.CryptoMaterial, pass.CryptoAsset,
		}},
	}
	for i := range p.PassLists {
		p.PassLists[i].Depth = pass.DepthSettings{Background: 1200} // behind the farthest shore
	}
	p.LightGroups = []pass.LightGroup{
		{Code: "sky", Name: "Sky and haze", Sky: true},
		{Code: "sun", Name: "Sun", Sun: true},
		{Code: "quay", Name: "Quay", Lights: []string{"lamp_quay*", "lamp_post*", "house*"}},
		{Code: "tower", Name: "Lighthouse", Lights: []string{"lamp_beam*", "lighthouse*"}},
		{Code: "boats", Name: "On board", Lights: []string{"lamp_masthead", "lamp_deck", "ferry*"}},
	}
	p.Mattes, p.Grades = Mattes(), Grades()
	p.Deliveries = Deliveries()
	p.ShotDefaults = production.ShotDefaults{Sizes: []string{"scope"}, PassList: "comp", Outputs: []string{"master"}}
	p.Cut = cut.Cut{Start: 24 * 3600, Tracks: []cut.Track{
		{Name: "pictures", Clips: []cut.Clip{
			{Shot: "010", Record: 0, Length: 40, Source: 1001},
			{Shot: "020", Record: 40, Length: 40, Source: 1037},
			{Shot: "030", Record: 80, Length: 15, Source: 1061},
			{Shot: "050", Record: 95, Length: 20, Source: 1073},
		}},
		{Name: "titles", Clips: []cut.Clip{{Shot: "040", Record: 108, Length: 30, Source: 1084, Speed: cut.Hold}}},
	}}
	p.Shots = []production.Shot{
		{
			Code:     "010",
			Name:     "Ferry comes in",
			View:     "quay",
			Frames:   frame.MustParse("1001-1048"),
			PassList: "relight",
			Outputs:  []string{"master", "review"},
			InBatch:  true,
		},
		{
			Code:    "020",
			Name:    "Towards the quay",
			View:    "bow",
			Frames:  frame.MustParse("1033-1080"),
			Step:    2,
			Sizes:   []string{"scope", "hd"},
			InBatch: true,
		},
		{
			Code:     "030",
			Name:     "From the lantern",
			View:     "lighthouse",
			Frames:   frame.MustParse("1061-1096,!1076-1081"),
			PassList: "depth",
			InBatch:  true,
			Labels:   []production.Label{{Frame: 1064, Name: "lamp-lit"}},
		},
		{
			Code:    "040",
			Name:    "Title still",
			View:    "night",
			Frames:  frame.MustParse("1084"),
			Sizes:   []string{"scope", "square", "tall"},
			Outputs: []string{"master", "review"},
			InBatch: true,
			Note:    "Poster; wants all shapes.",
			Tiles: []production.CellTiles{
				{Cell: production.Cell{View: "night", Size: "scope"}, Tiles: raster.Tiling{Columns: 2, Rows: 2}},
			},
		},
		{
			Code:     "050",
			Name:     "Profile",
			View:     "alongside",
			Frames:   frame.MustParse("1073-1092"),
			Sizes:    []string{"hd"},
			PassList: "depth",
			Outputs:  []string{"master", "proxy"},
			InBatch:  true,
		},
		{
			Code:   "060",
			Name:   "Dinghy turnaround",
			View:   "turn",
			Frames: frame.MustParse("1001-1024"),
			Step:   4,
			Sizes:  []string{"square"},
			Note:   "Kept for the sprite sheet.",
		},
	}
	return p
}

// PresetName is what the demo's standards are kept under for the next production.
const PresetName = "Harbour films"

// Standards returns what the demo has agreed.
func Standards() production.Standards {
	s := production.UsualStandards()
	scope, _ := raster.Published("scope")
	hd, _ := raster.Published("hd")
	square, _ := raster.Published("square")
	tall, _ := raster.Published("tall")
	tall.Fit = raster.Fit{Fitting: raster.Crop, AnchorX: 0.1}
	s.Sizes = []raster.Named{scope, hd, square, tall}
	s.FirstTimecode = "10:00:00:00"
	s.Floor = production.Floor{Width: 1080, Height: 858, Bits: 16, Lossless: true}
	s.Outputs[2].Scale = raster.Reduction{Divisor: 2}
	return s
}
