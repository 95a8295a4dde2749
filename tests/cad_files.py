"""Made-up CAD files with names, colours and layers at every level."""

from OCP.BRepBuilderAPI import BRepBuilderAPI_Transform
from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox, BRepPrimAPI_MakeCylinder
from OCP.gp import gp_Ax1, gp_Ax2, gp_Dir, gp_Pnt, gp_Trsf, gp_Vec
from OCP.Quantity import Quantity_Color, Quantity_ColorRGBA, Quantity_TOC_sRGB
from OCP.TCollection import TCollection_ExtendedString
from OCP.TDataStd import TDataStd_Name
from OCP.TDocStd import TDocStd_Document
from OCP.TopAbs import TopAbs_SOLID
from OCP.TopExp import TopExp_Explorer
from OCP.TopLoc import TopLoc_Location
from OCP.XCAFApp import XCAFApp_Application
from OCP.XCAFDoc import XCAFDoc_ColorSurf, XCAFDoc_DocumentTool

from aulmo.prepare.cad_mesh import faces_of

RED, GREEN, BLUE, WHITE, BLACK = (0.8, 0.1, 0.1), (0.1, 0.6, 0.2), (0.1, 0.2, 0.8), (0.95, 0.95, 0.95), (0.05, 0.05, 0.05)


def box(x: float, y: float, z: float):
    """A block with a corner at the origin."""
    return solid_of(BRepPrimAPI_MakeBox(x, y, z).Shape())


def rod(radius: float, height: float):
    """A cylinder along z."""
    return solid_of(BRepPrimAPI_MakeCylinder(radius, height).Shape())


def solid_of(shape):
    """The first solid of a shape."""
    return TopExp_Explorer(shape, TopAbs_SOLID).Current()


def moved(shape, x=0.0, y=0.0, z=0.0, turn=0.0, mirrored=False):
    """A copy elsewhere, its geometry moved: nothing says that it is one."""
    t = gp_Trsf()
    if mirrored:
        t.SetMirror(gp_Ax2(gp_Pnt(0, 0, 0), gp_Dir(0.3, 0.5, 0.8)))
    else:
        t.SetRotation(gp_Ax1(gp_Pnt(0, 0, 0), gp_Dir(0.3, 0.5, 0.8)), turn)
    s = gp_Trsf()
    s.SetTranslation(gp_Vec(x, y, z))
    return solid_of(BRepBuilderAPI_Transform(shape, s.Multiplied(t), True).Shape())


def place(x=0.0, y=0.0, z=0.0):
    """A location."""
    t = gp_Trsf()
    t.SetTranslation(gp_Vec(x, y, z))
    return TopLoc_Location(t)


class Cad:
    """A file in the making."""

    def __init__(self) -> None:
        self.document = TDocStd_Document(TCollection_ExtendedString("XmlOcaf"))
        XCAFApp_Application.GetApplication_s().InitDocument(self.document)
        self.shapes = XCAFDoc_DocumentTool.ShapeTool_s(self.document.Main())
        self.colours = XCAFDoc_DocumentTool.ColorTool_s(self.document.Main())
        self.layers = XCAFDoc_DocumentTool.LayerTool_s(self.document.Main())

    def name(self, label, name: str):
        """Name a label."""
        TDataStd_Name.Set_s(label, TCollection_ExtendedString(name, True))
        return label

    def product(self, name: str, shape, colour=None):
        """A product of a shape."""
        return self.coloured(self.name(self.shapes.AddShape(shape, False), name), colour)

    def assembly(self, name: str, colour=None):
        """An empty assembly."""
        return self.coloured(self.name(self.shapes.NewShape(), name), colour)

    def instance(self, assembly, product, location=None, colour=None, name=""):
        """A product within an assembly."""
        label = self.shapes.AddComponent(assembly, product, location or TopLoc_Location())
        return self.coloured(self.name(label, name) if name else label, colour)

    def within(self, product, shape, colour=None, name=""):
        """A solid, shell or face of a product, with a colour or name of its own."""
        label = self.shapes.AddSubShape(product, shape)
        if name:
            self.name(label, name)
        return self.coloured(label, colour)

    def coloured(self, label, colour):
        """Give a label a display colour, with an opacity when there are four numbers."""
        if colour is not None:
            rgb = Quantity_Color(*colour[:3], Quantity_TOC_sRGB)
            self.colours.SetColor(label, Quantity_ColorRGBA(rgb, colour[3]) if len(colour) > 3 else rgb, XCAFDoc_ColorSurf)
        return label

    def layer(self, label, name: str) -> None:
        """Put a label on a layer."""
        self.layers.SetLayer(label, TCollection_ExtendedString(name, True))

    def write(self, path, unit: str = "MM") -> None:
        """As STEP or IGES, by the file's ending."""
        from OCP.IGESCAFControl import IGESCAFControl_Writer
        from OCP.Interface import Interface_Static
        from OCP.STEPCAFControl import STEPCAFControl_Writer
        from OCP.STEPControl import STEPControl_AsIs

        self.shapes.UpdateAssemblies()
        iges = path.suffix == ".igs"
        writer = IGESCAFControl_Writer() if iges else STEPCAFControl_Writer()
        Interface_Static.SetCVal_s("write.step.unit", unit)
        Interface_Static.SetCVal_s("write.iges.unit", unit)
        Interface_Static.SetIVal_s("write.stepcaf.subshapes.name", 1)
        writer.SetColorMode(True)
        writer.SetNameMode(True)
        writer.SetLayerMode(True)
        if iges:
            writer.Transfer(self.document)
        else:
            writer.Transfer(self.document, STEPControl_AsIs)
        writer.Write(str(path))


def top_face(shape):
    """The face of a block that lies highest."""
    from OCP.Bnd import Bnd_Box
    from OCP.BRepBndLib import BRepBndLib

    def height(face) -> float:
        bounds = Bnd_Box()
        BRepBndLib.AddOptimal_s(face, bounds, False, False)
        return bounds.Get()[2]

    return max(faces_of(shape), key=height)
