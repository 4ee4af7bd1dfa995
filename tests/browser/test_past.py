"""The past and long work in the header, in a real browser: states are named and gone back to, offers taken or left."""

from unittest.mock import patch

from playwright.sync_api import expect

from plethos.core.formats.gltf_build import GltfBuilder
from plethos.service.edits import weight_edits
from plethos.service.jobs.automatic_weights import AutomaticWeightsJob
from plethos.service.schemas.bind import VertexChoice
from tests.browser.stage import BrowserCase
from tests.figures import tube_file


class Past(BrowserCase):
    def setUp(self):
        super().setUp()
        self.tube = self.bench.bring_in("Tube", tube_file().pack())

    def give(self, joint):
        weight_edits.give(self.bench, self.tube, VertexChoice(part="tube"), joint)

    def test_a_state_is_named_with_its_picture_and_gone_back_to(self):
        self.give("upper")
        self.open(f"/characters/{self.tube}/bind")
        self.page.get_by_role("button", name="Past", exact=True).click()
        self.page.get_by_label("Name this state").fill("All upper")
        self.page.keyboard.press("Enter")
        state = self.page.get_by_role("listitem", name="All upper")
        expect(state.get_by_text("Nothing has changed since.")).to_be_visible()
        expect(state.locator("img")).to_have_js_property("naturalWidth", 192)
        before = self.bench.open(self.tube).character.binding.joint_weights.copy()
        self.give("lower")
        expect(state.get_by_text("Since then: weights changed.")).to_be_visible()
        state.get_by_role("button", name="Go back").click()
        self.until(lambda: self.state(self.tube)["undo"] == "Back to “All upper”")
        self.assertTrue((self.bench.open(self.tube).character.binding.joint_weights == before).all())
        expect(self.page.get_by_role("heading", name="4 steps")).to_be_visible()

    def test_weights_that_were_overtaken_wait_in_the_header_to_be_taken(self):
        run = AutomaticWeightsJob.run

        def overtaken(job, task, arguments):
            self.give("upper")
            return run(job, task, arguments)

        self.open(f"/characters/{self.tube}/bind")
        with patch.object(AutomaticWeightsJob, "run", overtaken):
            self.page.get_by_role("button", name="All joints").click()
            self.page.get_by_role("button", name="Long work: 1 ready to take").click()
        self.assertEqual(self.state(self.tube)["undo"], "Give tube to upper")
        self.page.get_by_role("button", name="Take it").click()
        self.until(lambda: self.state(self.tube)["undo"] == "Automatic weights")
        expect(self.page.get_by_role("button", name="Long work")).to_have_count(0)


class Scenes(BrowserCase):
    def test_a_file_of_several_scenes_asks_for_one(self):
        builder = GltfBuilder(tube_file())
        spare = builder.add("meshes", {**builder.document["meshes"][0], "name": "spare"})
        builder.add("nodes", {"mesh": spare, "skin": 0})
        builder.document["scenes"] = [{"name": "Closed", "nodes": [2, 3]}, {"name": "Open", "nodes": [2, 4]}]
        self.page.goto(self.server.address + "/")
        data = builder.file().pack()
        files = self.page.locator("input[type=file]")
        files.set_input_files({"name": "gate.glb", "mimeType": "model/gltf-binary", "buffer": data})
        asked = self.page.get_by_role("dialog", name="Which scene?")
        expect(asked.get_by_role("button", name="Closed")).to_be_visible()
        asked.get_by_role("button", name="Open").click()
        self.page.wait_for_selector(".view[data-ready=true]")
        brought = self.page.url.split("/characters/")[1].split("/")[0]
        self.assertEqual([p.name for p in self.bench.open(brought).character.mesh.parts], ["spare"])
        self.assertTrue(all("422" in e for e in self.errors), self.errors)
        self.errors.clear()
