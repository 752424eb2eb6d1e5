package yardage.core.task;

import com.google.re2j.Pattern;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import yardage.core.exec.ReadAgain;
import yardage.core.exec.WindowStep;
import yardage.core.expr.*;
import yardage.core.feed.FeedFiles;
import yardage.core.format.json.JsonFunctions;
import yardage.core.format.json.JsonValues;
import yardage.core.format.text.LinePattern;
import yardage.core.format.text.RecordStart;
import yardage.core.format.tree.TreeExpressions;
import yardage.core.lake.TableFiles;
import yardage.core.lake.TableTarget;
import yardage.core.plan.GivenRows;
import yardage.core.plan.RecordCodec;
import yardage.core.plan.Recursion;
import yardage.core.plan.RowDescription;
import yardage.core.plan.ScanDescription;
import yardage.core.plan.TargetDescription;
import yardage.core.plan.WholeDescription;
import yardage.core.plan.WorkingRows;
import yardage.core.star.CalendarDays;
import yardage.core.star.DimensionStep;
import yardage.core.star.UnknownMembers;
import yardage.core.step.*;

/** All kinds that a plan may hold; a test keeps them complete. */
public final class TaskKinds {
  /** By the interface that they are kinds of. */
  public static final Map<Class<?>, List<Class<?>>> ALL =
      Map.of(
          Expression.class,
          List.of(
              Expression.Input.class,
              Literal.class,
              Arithmetic.class,
              CaseWhen.class,
              Cast.class,
              Comparison.class,
              Dates.Extract.class,
              Dates.Floor.class,
              Dates.Shift.class,
              Dates.Between.class,
              Dates.LastDay.class,
              DoubleMath.class,
              DoubleMath.OfTwo.class,
              Extreme.class,
              TextShapes.Shaped.class,
              TimeTexts.Formatted.class,
              TimeTexts.Read.class,
              OneOf.class,
              OneValue.class,
              TryCast.class,
              Likeness.Of.class,
              Logic.Junction.class,
              Logic.Not.class,
              Logic.IsNull.class,
              Logic.IsTruth.class,
              Nested.FieldOf.class,
              Nested.ElementOf.class,
              Nested.ValueOf.class,
              Nested.LengthOf.class,
              Nested.ListOf.class,
              Rounding.class,
              Texts.Mapped.class,
              Texts.Written.class,
              Texts.Concat.class,
              Texts.Length.class,
              Texts.Substring.class,
              Texts.Position.class,
              Texts.Like.class,
              Texts.LikeEach.class,
              Texts.Octets.class,
              Texts.Bytes.class,
              Texts.OfBytes.class,
              AtZone.class,
              TextParts.Split.class,
              TextParts.Joined.class,
              TextParts.Matches.class,
              TextParts.Replaced.class,
              TextParts.Extracted.class,
              JsonFunctions.Exists.class,
              JsonFunctions.Items.class,
              JsonFunctions.Query.class,
              JsonFunctions.Value.class,
              JsonValues.Parse.class),
          TextFunction.class,
          List.of(
              TextFunctions.Trim.class,
              TextFunctions.Replace.class,
              TextFunctions.Case.class,
              TextFunctions.Tidy.class,
              TextFunctions.Whole.class,
              TreeExpressions.TypeOf.class,
              TreeExpressions.XmlAsJson.class),
          ValueText.class,
          List.of(JsonValues.AsJson.class, TreeExpressions.Element.class),
          RowDescription.class,
          List.of(
              CastStep.class,
              CheckStep.class,
              FillStep.class,
              ReadAgain.class,
              SampleStep.class,
              StructStep.class,
              UnknownMembers.class,
              UnnestStep.class,
              UnpivotStep.class),
          WholeDescription.class,
          List.of(
              DimensionStep.class,
              LikenessStep.class,
              Recursion.class,
              SampleCount.class,
              WindowStep.class),
          ScanDescription.class,
          List.of(
              CalendarDays.class,
              FeedFiles.class,
              GivenRows.class,
              TableFiles.class,
              WorkingRows.class),
          TargetDescription.class,
          List.of(TableTarget.class));

  /** For stages, tasks and what comes of them. */
  public static final RecordCodec CODEC = codec(ALL);

  private TaskKinds() {}

  /**
   * A codec for some kinds, with what else plans are made of.
   *
   * @param kinds {@link #ALL}, and perhaps more
   */
  public static RecordCodec codec(Map<Class<?>, List<Class<?>>> kinds) {
    return new RecordCodec(kinds)
        .leaf(Pattern.class, Pattern::pattern, Pattern::compile)
        .leaf(LinePattern.class, LinePattern::text, LinePattern::compile)
        .leaf(RecordStart.class, RecordStart::text, RecordStart::compile)
        .leaf(Path.class, Path::toString, Path::of);
  }
}
