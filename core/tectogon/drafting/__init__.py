"""Drawing sheets out of bodies: views, dimensions, frame and title block, as ISO has them.

Glossary
    drawn view: what a viewer of a named frame sees, as curves in the view's own millimetres (one to one).
    need: something that a drawing must fix: a coordinate along one axis of the part, a radius, a free curve.
    dimension: what fixes a need: a length between two coordinates, a diameter or a radius, with how often it stands.
    paper: millimetres on the sheet, the origin at its lower left corner; a view's millimetres times the scale.
    ink: what stands on the paper: strokes, filled arrows, texts.

needs.py looks at the bodies, drawn_views.py at what is seen; dimensions.py chooses, placing.py sets round the views,
paper.py has sizes, scales, frame and title block, sheet.py puts all together; as_dxf, as_pdf and as_svg write it.
"""
