"""What the topologies share: declarations, rectifiers, winding the transformer, pictures of it. Knows none of them."""
