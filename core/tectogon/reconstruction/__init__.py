"""A part out of its views: depths that other views show, what stands in front of the faces they show, and the part seen
straight on against them."""
