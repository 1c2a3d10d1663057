import { describe, expect, it } from "vitest";
import { FOCUS_COLUMNS, FocusReader, ITEM_COLUMNS, NEEDED } from "#core/spend/focus";

// FOCUS, the open cost and usage specification (https://focus.finops.org/focus-specification/): columns of versions 1.0, 1.1
// and 1.2, from memory of the published text.
const V1_0 =
  "AvailabilityZone BilledCost BillingAccountId BillingAccountName BillingCurrency BillingPeriodEnd BillingPeriodStart ChargeCategory ChargeClass ChargeDescription ChargeFrequency ChargePeriodEnd ChargePeriodStart CommitmentDiscountCategory CommitmentDiscountId CommitmentDiscountName CommitmentDiscountStatus CommitmentDiscountType ConsumedQuantity ConsumedUnit ContractedCost ContractedUnitPrice EffectiveCost InvoiceIssuerName ListCost ListUnitPrice PricingCategory PricingQuantity PricingUnit ProviderName PublisherName RegionId RegionName ResourceId ResourceName ResourceType ServiceCategory ServiceName SkuId SkuPriceId SubAccountId SubAccountName Tags".split(
    " ",
  );
const V1_1 =
  "CapacityReservationId CapacityReservationStatus CommitmentDiscountQuantity CommitmentDiscountUnit ServiceSubcategory SkuMeter SkuPriceDetails".split(
    " ",
  );
const V1_2 =
  "BillingAccountType InvoiceId PricingCurrency PricingCurrencyContractedUnitPrice PricingCurrencyEffectiveCost PricingCurrencyListUnitPrice SubAccountType".split(
    " ",
  );

describe("columns of FOCUS", () => {
  it("are those of the published versions, each once and in the order of the alphabet", () => {
    expect([...FOCUS_COLUMNS]).toEqual([...V1_0, ...V1_1, ...V1_2].sort());
    expect(V1_0).toHaveLength(43);
    expect(new Set(FOCUS_COLUMNS).size).toBe(57);
  });

  it("of 1.0 alone are enough, and every one that is needed is among them", () => {
    for (const name of NEEDED) expect(V1_0).toContain(name);
    expect(new FocusReader(V1_0).unknown).toEqual([]);
  });

  it("of amounts, quantities, prices and periods say nothing of what a charge is of", () => {
    for (const name of ITEM_COLUMNS)
      expect(name).not.toMatch(/Cost$|UnitPrice$|Period(?:Start|End)$|^(?:Consumed|Pricing)Quantity$/);
    for (const name of ["ChargeClass", "SkuPriceId", "CommitmentDiscountId", "InvoiceId", "Tags"])
      expect(ITEM_COLUMNS).toContain(name);
  });
});
