"""Photos: those of the job in hand as small pictures, one large; two chosen lie beside or over one another."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QAbstractListModel, QModelIndex, QPersistentModelIndex, QRectF, QSize, Qt, QTimer
from PySide6.QtGui import QHideEvent, QImage, QKeyEvent, QKeySequence, QPainter, QPen, QTransform
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QLabel,
    QListView,
    QSlider,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from dextrum.app.job.trail_words import SHOWN_WORDS
from dextrum.app.photos.photo_words import photos_sentence
from dextrum.core.trail import Photo, PhotoMark
from dextrum.desktop.frame.background import Background
from dextrum.desktop.frame.chosen_row import is_chosen
from dextrum.desktop.frame.job_model import JobModel
from dextrum.desktop.frame.view import JobView
from dextrum.desktop.photos.picture_canvas import PictureCanvas
from dextrum.desktop.photos.thumbnails import Thumbnails
from dextrum.desktop.theme import look
from dextrum.errors import DextrumError
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.app.photos.camera import LiveCamera
    from dextrum.app.photos.laid_over import Fit

Index = QModelIndex | QPersistentModelIndex
NOWHERE = QModelIndex()
PHOTO_ROLE = int(Qt.ItemDataRole.UserRole)
STRIP_PIXELS, ROW_PIXELS = 190, 132
HALF = 50
FRAME_MILLISECONDS = 60


class PhotoList(QAbstractListModel):
    """The photos of a job, in the order in which they came."""

    def __init__(self) -> None:
        super().__init__()
        self.photos: tuple[Photo, ...] = ()

    def rowCount(self, parent: Index = NOWHERE) -> int:
        return 0 if parent.isValid() else len(self.photos)

    def data(self, index: Index, role: int = int(Qt.ItemDataRole.DisplayRole)) -> object:
        if not index.isValid():
            return None
        photo = self.photos[index.row()]
        if role == PHOTO_ROLE:
            return photo
        if role in (int(Qt.ItemDataRole.DisplayRole), int(Qt.ItemDataRole.AccessibleTextRole)):
            return photo_name(photo)
        return None


def photo_name(photo: Photo) -> str:
    """What a photo is called: 'the port: A5 bent'."""
    shown = SHOWN_WORDS[photo.shows]
    return f"{shown}: {photo.words}" if photo.words else shown


class PhotoDelegate(QStyledItemDelegate):
    """Paints one photo of the list: the small picture, what it shows, how many marks."""

    def __init__(self, thumbnails: Thumbnails) -> None:
        super().__init__()
        self.thumbnails = thumbnails

    def sizeHint(self, _option: QStyleOptionViewItem, _index: Index) -> QSize:
        return QSize(look.px(STRIP_PIXELS) - 20, look.px(ROW_PIXELS))

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        photo = index.data(PHOTO_ROLE)
        assert isinstance(photo, Photo)
        box = QRectF(option.rect).adjusted(3, 3, -3, -3)
        painter.save()
        chosen = is_chosen(option, index)
        painter.setPen(QPen(look.colour("ink" if chosen else "rule"), 2 if chosen else 1))
        painter.setBrush(look.colour("panel"))
        painter.drawRoundedRect(box, 4, 4)
        line = look.px(18)
        place = box.adjusted(5, 5, -5, -line - 6)
        picture = self.thumbnails.picture(photo.sha256)
        painter.setFont(look.font(12))
        painter.setPen(look.colour("quiet"))
        if picture is None or picture.isNull():
            painter.drawText(place, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap,
                             "…" if picture is None else tr("The picture is not here."))
        else:
            size = picture.size().scaled(place.size().toSize(), Qt.AspectRatioMode.KeepAspectRatio)
            painter.drawPixmap(QRectF(place.center().x() - size.width() / 2, place.center().y() - size.height() / 2,
                                      size.width(), size.height()), picture, QRectF(picture.rect()))
        painter.setPen(look.colour("ink"))
        words = painter.fontMetrics().elidedText(photo_name(photo), Qt.TextElideMode.ElideRight, int(place.width()))
        painter.drawText(QRectF(place.left(), place.bottom() + 2, place.width(), line),
                         int(Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft), words)
        painter.restore()


class PhotosView(JobView):
    name = "photos"
    commands = ("photo.add", "photo.paste", "photo.microscope", "photo.camera", "photo.watch", "photo.ring",
                "photo.arrow", "photo.unmark", "photo.words", "photo.over", "photo.fit")
    keys = (
        ("↑ ↓", tr("the photo above, below")),
        (tr("Ctrl with a click"), tr("a second one beside it")),
        ("+  −", tr("on the photo: zoom")),
        ("Home", tr("on the photo: all of it")),
        (tr("Shift with an arrow"), tr("over one another: move the second")),
        (",  .", tr("turn it")),
        ("[  ]", tr("its size")),
    )

    def __init__(self, model: JobModel) -> None:
        super().__init__(model)
        self.photos = PhotoList()
        self.thumbnails = Thumbnails(model.session.store.picture, self)
        self.list = QListView()
        self.list.setAccessibleName(tr("Photos of this job"))
        self.list.setModel(self.photos)
        self.list.setUniformItemSizes(True)
        self.list.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.delegate = PhotoDelegate(self.thumbnails)
        self.list.setItemDelegate(self.delegate)
        self.thumbnails.ready.connect(lambda _name: self.list.viewport().update())
        self.list.selectionModel().selectionChanged.connect(lambda *_: self._show_chosen())
        self.canvas = PictureCanvas()
        self.canvas.marked.connect(self._mark)
        self.canvas.shifted.connect(self._shift)
        self.fits: dict[tuple[str, str], Fit] = {}
        """How one photo lies on another, for as long as the window is open."""
        self.caption = QLabel()
        self.caption.setTextFormat(Qt.TextFormat.PlainText)
        self.caption.setWordWrap(True)
        self.share = QSlider(Qt.Orientation.Horizontal)
        self.share.setRange(0, 100)
        self.share.setValue(HALF)
        self.share.setAccessibleName(tr("How strongly the second photo shows over the first"))
        self.share.valueChanged.connect(self._share_moved)
        self.share.hide()
        right = QWidget()
        column = QVBoxLayout(right)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.canvas, 1)
        column.addWidget(self.share)
        column.addWidget(self.caption)
        line = QHBoxLayout()
        line.addWidget(self.list)
        line.addWidget(right, 1)
        self.body.addLayout(line, 1)
        self.reading = Background(self)
        self.reading.finished.connect(self._show_images)
        self.reading.failed.connect(lambda words: self.canvas.show_images((), (), words))
        self.fitting = Background(self)
        self.fitting.finished.connect(self._take_fit)
        self.fitting.failed.connect(self.say_trouble)
        self.camera: LiveCamera | None = None
        self._taken: Callable[[QImage], None] | None = None
        self.frames = QTimer(self)
        self.frames.setInterval(FRAME_MILLISECONDS)
        self.frames.timeout.connect(self._show_frame)
        self.canvas.taken.connect(self._take_frame)
        self.canvas.left.connect(self.end_camera)
        self.over = False
        self._shown_for = ""

    def refresh(self) -> None:
        self.sentence.setText(photos_sentence(self.model.facts) if self.model.job_id else tr("No job is open."))
        if self.camera is None:
            self.detail.setText(tr("Drop a picture here, or paste one with Ctrl+V") if self.model.job_id else "")
        self.list.setFixedWidth(look.px(STRIP_PIXELS))
        photos = tuple(photo for photo, _ in self.model.facts.photos)
        if self._shown_for != self.model.job_id:
            self._shown_for, self.over = self.model.job_id, False
            self.end_camera()
        if photos != self.photos.photos:
            before = [photo.sha256 for photo in self.chosen()]
            grown = len(photos) > len(self.photos.photos)
            self.photos.beginResetModel()
            self.photos.photos = photos
            self.photos.endResetModel()
            here = [k for k, photo in enumerate(photos) if photo.sha256 in before] if not grown else []
            if photos:
                self.list.setCurrentIndex(self.photos.index(here[0] if here else len(photos) - 1))
            self._show_chosen()
        self.show_cautions()

    def chosen(self) -> tuple[Photo, ...]:
        """The photos chosen, the current one first, at most two."""
        rows = sorted({index.row() for index in self.list.selectedIndexes()})
        current = self.list.currentIndex().row()
        rows.sort(key=lambda row: row != current)
        return tuple(self.photos.photos[row] for row in rows[:2] if row < len(self.photos.photos))

    def _show_chosen(self) -> None:
        photos = self.chosen()
        self.caption.setText(" · ".join(photo_name(photo) for photo in photos))
        if not photos:
            self.canvas.show_images((), (), tr("A photo shows an owner what was wrong, and you what was there before.")
                                    if self.model.job_id else "")
            self._tell_over()
            return
        read = self.model.session.store.picture

        def work(_told: Callable[[float], bool]) -> object:
            return photos, tuple(QImage.fromData(read(photo.sha256)) for photo in photos)

        self.reading.start(work)

    def _show_images(self, found: tuple[tuple[Photo, ...], tuple[QImage, ...]]) -> None:
        photos, images = found
        if photos != self.chosen() or self.camera is not None:
            return
        if any(image.isNull() for image in images):
            self.canvas.show_images((), (), tr("This picture can't be shown."))
        else:
            self.canvas.show_images(images, tuple(photo.marks for photo in photos), self.caption.text())
        self._tell_over()

    # A camera's picture as it comes

    def begin_camera(self, camera: LiveCamera, taken: Callable[[QImage], None]) -> None:
        """Show what it sees until Enter takes it or Esc leaves it."""
        self.end_camera()
        self.camera, self._taken = camera, taken
        self.canvas.live = True
        self.canvas.show_images((), (), tr("waiting for the camera …"))
        self.detail.setText(tr("Enter takes the picture, Esc leaves the camera."))
        self.canvas.setFocus()
        self.frames.start()

    def _show_frame(self) -> None:
        camera = self.camera
        if camera is None:
            return
        if camera.problem is not None:
            problem = camera.problem
            self.end_camera()
            self.say_trouble(f"{problem.happened} {problem.next_step}")
        elif (frame := camera.latest()) is not None:
            high, wide = frame.shape[:2]
            image = QImage(frame.data, wide, high, 3 * wide, QImage.Format.Format_RGB888).copy()
            self.canvas.show_images((image,), ((),), tr("what the camera sees"))

    def _take_frame(self) -> None:
        if self.camera is None or not self.canvas.images:
            return
        image, taken = self.canvas.images[0], self._taken
        self.end_camera()
        if taken is not None:
            taken(image)

    def end_camera(self) -> None:
        """Let go of the camera: other programs may want it."""
        camera, self.camera, self._taken = self.camera, None, None
        self.frames.stop()
        self.canvas.live = False
        if camera is not None:
            camera.close()
            self.detail.setText("")
            self._show_chosen()

    def _tell_over(self) -> None:
        both = self.over and len(self.canvas.images) == 2
        self.share.setVisible(both)
        self.canvas.over_share = self.share.value() / 100 if both else None
        found = self.fits.get(self._pair()) if both else None
        self.canvas.fit = QTransform(*found.T.ravel()) if found is not None else None
        self.canvas.update()

    def _pair(self) -> tuple[str, str]:
        """The two that lie over one another."""
        names = [photo.sha256 for photo in self.chosen()]
        return (names[0], names[1]) if len(names) == 2 else ("", "")

    def fit(self) -> None:
        """The second so that what is in both lies on itself; over one another, if they did not yet."""
        if len(self.chosen()) < 2 or len(self.canvas.images) < 2:
            self.say_trouble(tr("Choose two photos first: Ctrl with a click, or Shift with an arrow."))
            return
        self.say_trouble("")
        if not self.over:
            self.over = True
            self._tell_over()
        pair, (first, second) = self._pair(), self.canvas.images
        self.detail.setText(tr("Fitting the second onto the first …"))

        def work(_told: Callable[[float], bool]) -> object:
            from dextrum.app.photos.laid_over import fitted
            from dextrum.desktop.frame.pixels import grey_of

            return pair, fitted(grey_of(first), grey_of(second))

        self.fitting.start(work)

    def _take_fit(self, found: tuple[tuple[str, str], Fit | None]) -> None:
        pair, fit = found
        if fit is not None:
            self.fits[pair] = fit
        if pair != self._pair():
            return
        self.detail.setText("" if fit is None else
                            tr("Fitted: what is in both lies on itself. By hand, Shift and arrows move the second."))
        if fit is None:
            self.say_trouble(tr("They don't show enough of the same. By hand: Shift and arrows move the second, "
                                "comma and full stop turn it, brackets change its size."))
        self._tell_over()

    def _shift(self, right: float, down: float, degrees: float, larger: float) -> None:
        from dextrum.app.photos.laid_over import moved

        pair = self._pair()
        if not pair[0]:
            return
        self.fits[pair] = moved(self.fits.get(pair, self._unfitted()), right, down, degrees, larger)
        self._tell_over()

    def _unfitted(self) -> Fit:
        """As the two lie over one another by themselves: the second in the middle of the first."""
        first, second = self.canvas.frame(0), self.canvas.frame(1)
        share = second.width() / max(first.width(), 1e-9)
        return np.array([[share, 0.0, (second.left() - first.left()) / first.width()],
                         [0.0, share, (second.top() - first.top()) / first.width()], [0.0, 0.0, 1.0]])

    def lay_over(self) -> None:
        """Two photos over one another, or beside each other again."""
        if len(self.chosen()) < 2:
            self.say_trouble(tr("Choose two photos first: Ctrl with a click, or Shift with an arrow."))
            return
        self.say_trouble("")
        self.over = not self.over
        self._tell_over()
        if self.over:
            self.share.setFocus()
            if self._pair() not in self.fits:
                self.fit()

    def _share_moved(self, value: int) -> None:
        if self.canvas.over_share is not None:
            self.canvas.over_share = value / 100
            self.canvas.update()

    def draw(self, form: str) -> None:
        """The next stroke of the mouse over the photo is a ring or an arrow."""
        if not self.chosen():
            self.say_trouble(tr("There is no photo to mark yet."))
            return
        if len(self.chosen()) > 1:
            self.say_trouble(tr("Choose one photo to mark."))
            return
        self.say_trouble("")
        self.canvas.draw(form)
        self.canvas.setFocus()
        way = (
            tr("From the middle of the ring outwards")
            if form == "ring"
            else tr("From where the arrow begins to its tip")
        )
        self.detail.setText(tr("{way}: press, draw, let go. Esc leaves it.", way=way))

    def _mark(self, mark: PhotoMark) -> None:
        photo = next(iter(self.chosen()), None)
        if photo is not None:
            self.record_again(replace(photo, marks=(*photo.marks, mark)))

    def take_mark_off(self) -> None:
        """The last mark of the photo."""
        photo = next(iter(self.chosen()), None)
        if photo is None or not photo.marks:
            self.say_trouble(tr("Nothing is marked on this photo."))
            return
        self.record_again(replace(photo, marks=photo.marks[:-1]))

    def record_again(self, photo: Photo) -> None:
        """The same picture, with other words or marks."""
        try:
            self.model.record(photo)
        except (DextrumError, ValueError) as problem:
            self.say_trouble(str(problem))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Ctrl+V here is a picture; in a field of text it stays what it is there."""
        if event.matches(QKeySequence.StandardKey.Paste):
            self.asked.emit("photo.paste")
        else:
            super().keyPressEvent(event)

    def hideEvent(self, event: QHideEvent) -> None:
        """A camera is not held for a page that nobody sees."""
        self.end_camera()
        super().hideEvent(event)

    def focus_entry(self) -> None:
        self.list.setFocus()

    def close_work(self) -> None:
        super().close_work()
        self.end_camera()
        self.reading.close()
        self.fitting.close()
        self.thumbnails.close()
