"""Faces recognised on meshes, against the exact ones of the B-rep that each mesh was made from (Open CASCADE)."""

from unittest import TestCase

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from OCP.BRepPrimAPI import (
    BRepPrimAPI_MakeCone,
    BRepPrimAPI_MakeCylinder,
    BRepPrimAPI_MakeSphere,
    BRepPrimAPI_MakeTorus,
)
from scipy.spatial.transform import Rotation

from pulley.core.geometry.features import Cylinder
from pulley.core.geometry.mending import Soup, bodies_of
from pulley.core.geometry.mesh import Mesh
from pulley.core.geometry.recognition.describing import described
from pulley.core.geometry.recognition.fitting import CONE, CYLINDER, PLANE, SPHERE, TORUS
from pulley.core.geometry.recognition.surfaces import Faces, recognise
from pulley.core.kernel.shapes import mesh_shape
from tests.scenes import AS1, DEMO, WINCH, read

RADIUS, ANGLE = 0.05, 0.1  # mm and degrees that a recognised face may be off


def as_file(mesh: Mesh) -> Soup:
    """A mesh as STL has it: loose triangles in single precision."""
    corners = mesh.corners.astype(np.float32).astype(float)
    return Soup(corners.reshape(-1, 3), np.arange(3 * len(corners), dtype=np.int32).reshape(-1, 3))


def is_like(exact: Cylinder, found: Cylinder) -> bool:
    """Whether two round faces have one axis, one radius and one side."""
    a, b = (np.array(c.direction) / np.linalg.norm(c.direction) for c in (exact, found))
    askew = np.degrees(np.arcsin(min(np.linalg.norm(np.cross(a, b)), 1.0)))
    apart = np.linalg.norm(np.cross(np.array(found.origin) - exact.origin, a))
    return exact.hole == found.hole and askew < ANGLE and apart < RADIUS and abs(exact.radius - found.radius) < RADIUS


class BRepTests(TestCase):
    def share(self, file) -> tuple[int, int]:
        """How many of a file's round faces are recognised on its mesh, of how many."""
        hits = total = 0
        for part, _ in read(file).parts:
            found = described(bodies_of(as_file(part.mesh)).bodies)
            for exact in part.mesh.cylinders:
                total += 1
                hits += any(is_like(exact, cylinder) for cylinder in found.cylinders)
            flat = [np.array(plane.normal) for plane in found.planes]
            for plane in part.mesh.planes:
                self.assertTrue(
                    any(abs(normal @ plane.normal) > np.cos(np.radians(ANGLE)) for normal in flat), part.name
                )
        return hits, total

    def test_every_round_face_of_the_demo_models_and_of_as1(self):
        """All 322 of them, within 0.05 mm and 0.1 degree."""
        shares = [self.share(file) for file in (AS1, DEMO, WINCH)]
        self.assertEqual([total for _, total in shares], [28, 98, 196])
        self.assertEqual([hits for hits, _ in shares], [28, 98, 196])

    def test_edges_are_where_the_exact_ones_are(self):
        for part, _ in read(WINCH).parts:
            found = described(bodies_of(as_file(part.mesh)).bodies)
            exact = np.unique(part.mesh.edges[part.mesh.edge_pairs].mean(1).round(3), axis=0)
            edges = np.unique(found.edges[found.edge_pairs].mean(1).round(3), axis=0)
            self.assertLess(abs(len(edges) - len(exact)), 0.02 * len(exact) + 3, part.name)

    def test_normals_on_round_faces_are_those_of_the_surface(self):
        mesh = described(bodies_of(as_file(mesh_shape(BRepPrimAPI_MakeSphere(20.0).Shape(), 0.1))).bodies)
        away = mesh.vertices / np.linalg.norm(mesh.vertices, axis=1, keepdims=True)
        self.assertGreater(np.einsum("ij,ij->i", away, mesh.normals).min(), np.cos(np.radians(ANGLE)))


class PrimitiveTests(TestCase):
    """Bodies of known sizes, turned and moved at random, meshed from very fine to as coarse as shops do."""

    def faces(self, shape, chord: float, seed: int) -> tuple[Faces, np.ndarray]:
        mesh = mesh_shape(shape, chord)
        turn, shift = Rotation.random(random_state=seed).as_matrix(), np.random.default_rng(seed).uniform(-200, 200, 3)
        moved = Soup(mesh.vertices @ turn.T + shift, mesh.triangles)
        (body,) = bodies_of(moved).bodies
        return recognise(body.vertices, body.triangles), turn @ [0.0, 0.0, 1.0]

    def only(self, faces: Faces, kind: int) -> np.ndarray:
        (row,) = faces.surfaces[faces.kinds == kind]
        return row

    @settings(max_examples=12)
    @given(st.floats(2, 80), st.floats(1, 120), st.sampled_from([0.02, 0.2]), st.integers(0, 10**6))
    def test_cylinders(self, radius, height, chord, seed):
        faces, axis = self.faces(BRepPrimAPI_MakeCylinder(radius, height).Shape(), chord, seed)
        self.assertEqual(sorted(faces.kinds.tolist()), [PLANE, PLANE, CYLINDER])
        row = self.only(faces, CYLINDER)
        self.assertLess(abs(row[6] - radius), RADIUS)
        self.assertGreater(abs(row[3:6] @ axis), np.cos(np.radians(ANGLE)))

    @settings(max_examples=12)
    @given(st.floats(5, 40), st.floats(1.3, 4), st.floats(5, 60), st.integers(0, 10**6))
    def test_cones(self, small, times, height, seed):
        faces, axis = self.faces(BRepPrimAPI_MakeCone(small, small * times, height).Shape(), 0.05, seed)
        self.assertEqual(sorted(faces.kinds.tolist()), [PLANE, PLANE, CONE])
        row = self.only(faces, CONE)
        self.assertGreater(abs(row[3:6] @ axis), np.cos(np.radians(ANGLE)))
        self.assertAlmostEqual(abs(row[7]), small * (times - 1) / height, places=3)

    @settings(max_examples=12)
    @given(st.floats(2, 80), st.sampled_from([0.05, 0.3]), st.integers(0, 10**6))
    def test_spheres(self, radius, chord, seed):
        faces, _ = self.faces(BRepPrimAPI_MakeSphere(radius).Shape(), chord, seed)
        self.assertEqual(faces.kinds.tolist(), [SPHERE])
        self.assertLess(abs(faces.surfaces[0, 6] - radius), RADIUS)

    @settings(max_examples=12)
    @given(st.floats(20, 60), st.floats(0.1, 0.45), st.integers(0, 10**6))
    def test_tori(self, ring, share, seed):
        faces, axis = self.faces(BRepPrimAPI_MakeTorus(ring, ring * share).Shape(), 0.1, seed)
        self.assertEqual(faces.kinds.tolist(), [TORUS])
        row = faces.surfaces[0]
        self.assertLess(max(abs(row[6] - ring), abs(row[7] - ring * share)), RADIUS)
        self.assertGreater(abs(row[3:6] @ axis), np.cos(np.radians(ANGLE)))
