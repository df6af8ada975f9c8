package passes

// WallEdge is how long the pictures of passes are.
const WallEdge = wallEdge
