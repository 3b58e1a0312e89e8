"""How profiles become features: prisms between two heights, how far a cut reaches, and where a solid begins and ends by
pointing."""
