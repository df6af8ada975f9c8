// Package trace is the stand-in renderer: it turns a scene, a look and a camera into pixels.
//
// Prepare builds what does not move; At places everything at a moment, and During while a shutter is open; Render
// follows paths of light from the camera on (path.go), by tiles (gather.go, finish.go). Light comes from the sky or an
// environment, the look's sun, the scene's punctual lights and its glowing triangles; what it meets is in bsdf.go.
// Radiance is linear with BT.709 primaries.
//
// Every random number is hashed from pixel, sample, dimension and frame (see sampler), and whatever a pixel is made of
// is added in one order. So the same frame has the same bits on one core or many, whole or in pieces.
package trace
